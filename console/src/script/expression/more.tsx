import { DropdownMenu } from 'radix-ui'
import { ChevronDown } from 'lucide-react'
import { use } from 'react'
import { GoingContext } from './focus'
import { useForm } from '../use-draft'
import { itemName, linked, literal, row, type Form, type Link } from './forms'
import type { NodeProps } from './operand'

const kinds: Record<string, string> = { bool: 'yes or no', map: 'several values' }

/** More is what else can be done with a value: the next link of its chain, reckoning, a choice. */
export function More(p: NodeProps) {
  const { language } = useForm()
  const kind = p.parts[p.at]?.kind ?? (typeof p.form.value === 'number' ? 'number' : '')
  const links = language.links.filter((l) => suits(l, kind))
  const going = use(GoingContext)
  const reckon = (name: string) =>
    p.onChange({ is: 'reckon', name, of: [p.form, literal(name === '+' && kind === 'text' ? '' : 1)] })
  const choose = () => p.onChange({ is: 'choose', of: [row(), p.form, literal(kind === 'number' ? 0 : '')] })
  const next = (act: () => void) => () => {
    going.go(`${p.at}/of/1`)
    act()
  }
  const add = (l: Link) => p.onChange(linked(p.form, l, itemName(p.items.map((i) => i.name))))
  const item = (words: string, act: () => void) => (
    <DropdownMenu.Item
      key={words}
      onSelect={act}
      className="cursor-pointer px-3 py-1 outline-none data-highlighted:bg-wash"
    >
      {words}
    </DropdownMenu.Item>
  )
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        data-reckons=""
        aria-label={`More with ${p.label}`}
        title="What else is done with it"
        className="rounded p-0.5 text-indigo hover:bg-wash"
      >
        <ChevronDown className="size-4" aria-hidden="true" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          onCloseAutoFocus={(e) => going.leaves() && e.preventDefault()}
          className="z-50 max-h-80 min-w-52 overflow-y-auto rounded-md border border-line bg-raised py-1 shadow-lg"
        >
          <p className="px-3 py-0.5 text-[0.84rem] text-quiet">a {kinds[kind] ?? (kind || 'value')}</p>
          {links.map((l) =>
            item(
              l.words,
              next(() => add(l)),
            ),
          )}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          {(kind === 'number' || kind === '') &&
            ['+', '-', '*', '/'].map((s) =>
              item(
                `${signs[s]} another`,
                next(() => reckon(s)),
              ),
            )}
          {kind === 'text' &&
            item(
              '+ another text',
              next(() => reckon('+')),
            )}
          {item('only if …, else another', choose)}
          {item('as code', () => p.onChange(codeOf(p.form)))}
          {p.form.is !== 'literal' && item('take it out', () => p.onChange(literal('')))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

const signs: Record<string, string> = { '+': '+', '-': '−', '*': '×', '/': '÷' }

const suits = (l: Link, kind: string) => !l.of || !kind || l.of === kind || (l.of === 'time' && kind === 'text')

/** codeOf begins code at a value, to be written on. */
const codeOf = (f: Form): Form => ({ is: 'code', text: f.path?.join('.') ?? JSON.stringify(f.value ?? '') })
