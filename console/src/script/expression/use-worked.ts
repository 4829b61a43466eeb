import { useCallback, useEffect, useRef, useState } from 'react'
import { call, type Worked } from '../../api'
import { useForm } from '../use-draft'
import type { Form } from './forms'

export interface Working {
  form?: Form
  worked?: Worked
  change: (form: Form) => void
  error?: string
}

/** How long nothing is changed before an expression is worked out, in milliseconds. */
const pause = 150

/**
 * useWorked takes an expression apart, and writes what is made of it. write gets
 * the code of each form somebody makes.
 */
export function useWorked(place: string, code: string, condition: boolean, write: (code: string) => void): Working {
  const { draft, run, begins } = useForm()
  const sample = run ? undefined : begins?.sample
  const [state, setState] = useState<{ form?: Form; worked?: Worked; error?: string }>({})
  const seen = useRef<string>('')
  const underWay = useRef<string[]>([]) // codes written here that have not come back in the text, oldest first
  const timer = useRef<number>(undefined)
  const asked = useRef(0)
  const ask = useCallback(
    async (body: { code?: string; form?: Form }) => {
      const n = ++asked.current
      const about = { text: draft.get().text, at: place, run: run?.id, sample, holds: condition }
      const path = `/workflows/${encodeURIComponent(draft.id)}/work-out`
      try {
        const worked = await call<Worked>('POST', path, { ...about, ...body })
        return n === asked.current ? worked : undefined
      } catch (e) {
        if (n === asked.current) setState((s) => ({ ...s, error: e instanceof Error ? e.message : String(e) }))
        return undefined
      }
    },
    [draft, place, run?.id, sample, condition],
  )
  useEffect(() => {
    if (code === seen.current) return
    seen.current = code
    if (code === '' || comesBack(underWay.current, code)) return
    void ask({ code }).then((worked) => worked && setState({ form: worked.form as Form, worked }))
  }, [code, ask])
  const put = useRef(write)
  useEffect(() => {
    put.current = write
  })
  const change = useCallback(
    (form: Form) => {
      asked.current++ // an answer about what it was before comes too late
      setState((s) => ({ ...s, form, error: undefined }))
      window.clearTimeout(timer.current)
      timer.current = window.setTimeout(() => {
        void ask({ form }).then((worked) => {
          if (!worked) return
          if (worked.code !== (underWay.current.at(-1) ?? seen.current)) underWay.current.push(worked.code)
          setState({ form, worked })
          put.current(worked.code)
        })
      }, pause)
    },
    [ask],
  )
  return { ...state, change }
}

/**
 * comesBack tells whether a code is one that was written here. The text is changed beside the page: what was
 * written may come back when there is a newer form already, which it must not take the place of.
 */
function comesBack(underWay: string[], code: string): boolean {
  const i = underWay.indexOf(code)
  underWay.splice(0, i < 0 ? underWay.length : i + 1)
  return i >= 0
}
