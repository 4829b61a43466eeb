import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { call, type Detail, type Run, type Sample, type Signal } from '../../api'
import type { Draft } from '../draft'

/** Source is what a try begins with. */
export type Source =
  | { of: 'sample'; name: string }
  | { of: 'run'; run: string }
  | { of: 'written'; signal: Signal }
  | { of: 'inputs'; inputs: Record<string, unknown> }

/** How says how far a try goes, and what of it is real. */
export interface How {
  far: 'all' | 'until' | 'step'
  really: string[]
  hurry: boolean
  at: string // "" is now
}

export interface Trying {
  run?: Detail
  start: (source: Source, how: How, step?: string) => void
  goOn: (from: string, edited: Record<string, unknown>, how: How) => void
  pretend: (step: string, gives: unknown) => void
  busy: boolean
  error: Error | null
  forget: () => void
}

/** useTrying tries a draft, and follows what becomes of it. */
export function useTrying(id: string, draft: Draft): Trying {
  const client = useQueryClient()
  const [run, setRun] = useState<string>()
  const [last, setLast] = useState<object>({})
  const [gives, setGives] = useState<Record<string, unknown>>({})
  const begin = useMutation({
    mutationFn: async (body: object) => {
      await draft.save()
      return call<{ run: string }>('POST', `/workflows/${encodeURIComponent(id)}/try`, body)
    },
    onSuccess: (r) => setRun(r.run),
    onSettled: () => void client.invalidateQueries({ queryKey: ['runs'] }),
  })
  const detail = useQuery({
    queryKey: ['run', run],
    queryFn: () => call<Detail>('GET', `/runs/${run}`),
    enabled: !!run,
    refetchInterval: (q) => (q.state.data?.ended || q.state.data?.status === 'waiting' ? false : 400),
  })
  const send = (body: object) => {
    setLast(body)
    begin.mutate({ ...body, gives })
  }
  return {
    run: run ? detail.data : undefined,
    start: (source, how, step) => {
      const far = how.far === 'all' || !step ? {} : how.far === 'until' ? { until: step } : { step }
      send({ ...begins(source), ...real(how), ...far })
    },
    goOn: (from, edited, how) => send({ run, from, edited, ...real(how) }),
    pretend: (step, value) => {
      const next = { ...gives, [step]: value }
      setGives(next)
      begin.mutate({ ...last, gives: next })
    },
    busy: begin.isPending || (!!run && !detail.data?.ended && detail.data?.status !== 'waiting'),
    error: begin.error ?? detail.error,
    forget: () => setRun(undefined),
  }
}

function begins(s: Source): object {
  switch (s.of) {
    case 'sample':
      return { sample: s.name }
    case 'run':
      return { run: s.run }
    case 'written':
      return { signal: s.signal }
    case 'inputs':
      return { inputs: s.inputs }
  }
}

const real = (how: How) => ({
  really: how.really,
  hurry: how.hurry,
  at: how.at ? new Date(how.at).toISOString() : undefined,
})

/** useBeginnings lists what a try can begin with: what was kept, and what came lately. */
export function useBeginnings(id: string): { samples: Sample[]; runs: Run[] } {
  const path = `/workflows/${encodeURIComponent(id)}`
  const samples = useQuery({ queryKey: ['samples', id], queryFn: () => call<Sample[]>('GET', `${path}/samples`) })
  const runs = useQuery({
    queryKey: ['runs', 'beginnings', id],
    queryFn: () => call<{ runs: Run[] }>('GET', `/runs?workflow=${encodeURIComponent(id)}&limit=20`),
  })
  return { samples: samples.data ?? [], runs: (runs.data?.runs ?? []).filter((r) => !r.origin).slice(0, 10) }
}
