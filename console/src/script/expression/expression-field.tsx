import { useState } from 'react'
import { ValueField } from '../value-field'
import { useForm } from '../use-draft'
import { Going, GoingContext } from './focus'
import { nothing, row, type Form } from './forms'
import { AnyForm } from './operand'
import { Signs } from './signs'
import { useWorked } from './use-worked'

interface Shown {
  label: string
  place: string
  value: string
  condition: boolean
  hint?: string
  autoFocus?: boolean
  onChange: (code: string) => void
  onDone?: () => void
  onCancel?: () => void
}

/** ExpressionField is an expression worked on without code: rows of a condition, or a value and what is done to it. */
export function ExpressionField(p: Shown) {
  const [asCode, setAsCode] = useState(false)
  const [going] = useState(() => new Going())
  const working = useWorked(p.place, p.value, p.condition, p.onChange)
  const form = working.form ?? (p.value === '' ? begun(p.condition) : undefined)
  const code = asCode || form?.is === 'code'
  return (
    <GoingContext value={going}>
      <div>
        {code || !form ? (
          <ValueField {...p} mode="expression" />
        ) : (
          <Signs form={form} at="" onChange={working.change}>
            <AnyForm
              form={form}
              autoFocus={p.autoFocus}
              at=""
              parts={working.worked?.parts ?? {}}
              items={[]}
              place={p.place}
              label={p.label}
              onChange={working.change}
            />
          </Signs>
        )}
        <Said p={p} working={working} form={form} asCode={code} turn={() => setAsCode(!asCode)} />
      </div>
    </GoingContext>
  )
}

const begun = (condition: boolean): Form => (condition ? row() : nothing)

/** Said tells what the expression gives, how often it held, and what is wrong with it. */
function Said(s: { p: Shown; working: ReturnType<typeof useWorked>; form?: Form; asCode: boolean; turn: () => void }) {
  const { run } = useForm()
  const { worked, error } = s.working
  const whole = worked?.parts['']
  const problem = error ?? worked?.problems[0]
  return (
    <p className="mt-1 flex flex-wrap items-baseline gap-x-3 text-[0.87rem] text-quiet">
      {problem && <span className="text-madder">{problem}</span>}
      {!problem && run && whole?.there && s.p.condition && (
        <span className={whole.gives === true ? 'text-lichen' : ''}>
          {whole.gives === true ? 'holds for what is shown' : 'does not hold for what is shown'}
        </span>
      )}
      {worked?.held && worked.held.of > 0 && (
        <span>
          held in {worked.held.held} of the last {worked.held.of} runs
        </span>
      )}
      {s.form?.is !== 'code' && (
        <button
          type="button"
          aria-label={`${s.p.label}: ${s.asCode ? 'without code' : 'as code'}`}
          onClick={s.turn}
          className="ml-auto text-indigo underline underline-offset-2"
        >
          {s.asCode ? 'without code' : 'as code'}
        </button>
      )}
    </p>
  )
}
