import { use } from 'react'
import { GoingContext } from './focus'
import { literal, type Form } from './forms'

const signs: Record<string, string> = { '+': '+', '-': '-', '*': '*', '×': '*', '/': '/', ':': '/', '÷': '/' }

interface Signed {
  form: Form
  at: string
  onChange: (form: Form) => void
  children: React.ReactNode
}

/** Signs takes + − × ÷ that are typed on a value, and goes on with what comes behind the sign. */
export function Signs({ form, at, onChange, children }: Signed) {
  const going = use(GoingContext)
  const type = (e: React.KeyboardEvent) => {
    const sign = signs[e.key]
    const onChip = e.target instanceof HTMLElement && e.target.dataset.reckons !== undefined
    if (!sign || !onChip || e.ctrlKey || e.metaKey || e.altKey) return
    e.preventDefault()
    e.stopPropagation()
    going.go(`${at}/of/1`)
    onChange({ is: 'reckon', name: sign, of: [form, literal(1)] })
  }
  return <span onKeyDown={type}>{children}</span>
}
