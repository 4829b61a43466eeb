import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useCallback, useState } from 'react'
import { call, type Script } from '../../api'
import { when } from '../../words'
import { useBuild, useDraftState } from '../use-draft'
import { AsAccepted } from './as-accepted'
import type { Source, Trying } from './use-trying'
import { later } from '../../parts/later'

const Delivery = later(() => import('./delivery').then((m) => m.Delivery), null)
const Next = later(() => import('./next').then((m) => m.Next), null)
const Written = later(() => import('./written').then((m) => m.Written), null)

interface Shown {
  script: Script
  trying: Trying
}

/** Beginning is what a try begins with: a kept sample, what came lately, or one written by hand. */
export function Beginning({ script, trying }: Shown) {
  const { beginnings, source, chosen, choose } = trying
  const { draft } = useBuild()
  const { lines, sees } = useDraftState(draft)
  const callable = lines.some((l) => l.path === 'trigger/called')
  const only = callable && !lines.some((l) => l.path.startsWith('trigger/') && l.path !== 'trigger/called')
  const came = useCallback((name: string) => choose({ source: { of: 'sample', name } }), [choose])
  const value = chosen.waiting ? 'next' : chosen.writing ? 'write' : source ? nameOf(source) : ''
  const pick = (to: string) => {
    if (to === 'write') return choose({ writing: true, source: undefined })
    if (to === 'next') return choose({ waiting: true })
    const [of, name] = [to.slice(0, to.indexOf(' ')), to.slice(to.indexOf(' ') + 1)]
    choose({ source: of === 'sample' ? { of, name } : { of: 'run', run: name } })
  }
  return (
    <div>
      <label className="block">
        <span className="text-[0.87rem] text-quiet">On</span>
        <select
          aria-label="What it begins with"
          value={value}
          onChange={(e) => pick(e.target.value)}
          className="mt-1 w-full rounded-md border border-line bg-paper px-2.5 py-1.5"
        >
          {value === '' && <option value="">choose what it begins with</option>}
          {beginnings.samples.map((s) => (
            <option key={s.name} value={`sample ${s.name}`}>
              kept sample “{s.name}”{s.signal.unsigned && ', unsigned'}
            </option>
          ))}
          {beginnings.runs.map((r) => (
            <option key={r.id} value={`run ${r.id}`}>
              what came {when(r.accepted)}: {r.about.slice(0, 60)}
            </option>
          ))}
          <option value="write">one written by hand…</option>
          <option value="next">the next one that comes…</option>
        </select>
      </label>
      {chosen.writing && (
        <Written
          sees={sees}
          lines={lines}
          inputsOnly={only}
          onChange={(written) => choose({ writing: true, source: written })}
        />
      )}
      {chosen.waiting && <Next script={script} samples={beginnings.samples} onCame={came} />}
      {source && source.of !== 'sample' && source.of !== 'inputs' && <KeepIt script={script} source={source} />}
      <AsAccepted source={source} samples={beginnings.samples} />
      <Delivery script={script} source={source} samples={beginnings.samples} />
    </div>
  )
}

const nameOf = (s: Source) => (s.of === 'sample' ? `sample ${s.name}` : s.of === 'run' ? `run ${s.run}` : 'write')

/** KeepIt keeps what a try begins with as a sample. */
function KeepIt({ script, source }: { script: Script; source: Source }) {
  const client = useQueryClient()
  const [name, setName] = useState('')
  const keep = useMutation({
    mutationFn: () =>
      call('PUT', `/workflows/${script.id}/samples/${encodeURIComponent(name)}`, {
        run: source.of === 'run' ? source.run : undefined,
        signal: source.of === 'written' ? source.signal : undefined,
      }),
    onSuccess: () => {
      setName('')
      void client.invalidateQueries({ queryKey: ['samples', script.id] })
    },
  })
  return (
    <form
      className="mt-1.5 flex items-center gap-2 text-[0.9rem]"
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate()
      }}
    >
      <input
        aria-label="Keep it as a sample called"
        placeholder="keep it as a sample called…"
        value={name}
        onChange={(e) => setName(e.target.value)}
        className="min-w-0 flex-1 rounded-md border border-line bg-paper px-2 py-1"
      />
      <button type="submit" disabled={!name || keep.isPending} className="text-indigo disabled:opacity-50">
        Keep
      </button>
      {keep.error && <span className="text-madder">{keep.error.message}</span>}
    </form>
  )
}
