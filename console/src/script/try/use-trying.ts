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

/** Chosen is what somebody chose to begin with. */
export interface Chosen {
  source?: Source
  writing?: boolean
  waiting?: boolean // for the next one that comes
}

export interface Trying {
  beginnings: { samples: Sample[]; runs: Run[] }
  chosen: Chosen
  choose: (c: Chosen) => void
  source?: Source // what was chosen, or the first there is
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
  const beginnings = useBeginnings(id)
  const [chosen, choose] = useState<Chosen>({})
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
    beginnings,
    chosen,
    choose,
    source: chosen.source ?? (chosen.waiting ? undefined : firstOf(beginnings)),
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

const firstOf = (b: Trying['beginnings']): Source | undefined =>
  b.samples[0] ? { of: 'sample', name: b.samples[0].name } : b.runs[0] ? { of: 'run', run: b.runs[0].id } : undefined

/** signalOf is the signal something begins with, where it is here. */
export function signalOf(t: Trying): { sample?: string; signal: Signal } | undefined {
  const s = t.source
  if (s?.of === 'written') return { signal: s.signal }
  const sample = s?.of === 'sample' && t.beginnings.samples.find((k) => k.name === s.name)
  return sample ? { sample: sample.name, signal: sample.signal } : undefined
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
