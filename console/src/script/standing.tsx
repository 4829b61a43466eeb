import { useState } from 'react'
import type { Script } from '../api'
import { Button, Chip } from '../parts/states'
import { clock } from '../words'
import { useBuild, useDraftState } from './use-draft'

/** StandingChip says how far what is written is kept; it is always in sight. */
export function StandingChip({ script }: { script: Script }) {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  const words = {
    kept: s.since ? `Draft kept ${clock(s.since.toISOString())}` : script.drafted ? 'Draft kept' : 'As it is live',
    unsaved: 'Unsaved',
    saving: 'Keeping…',
    away: 'Unsaved: the service does not answer',
    clash: 'Unsaved: changed by two',
    refused: 'Not kept',
  }[s.standing]
  return (
    <Chip>
      <span role="status" className={s.standing === 'kept' || s.standing === 'saving' ? 'text-quiet' : 'text-weld'}>
        {words}
      </span>
    </Chip>
  )
}

/** Notices tell what is the matter with keeping the draft, each in one line. */
export function Notices() {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  return (
    <>
      {s.standing === 'away' && (
        <Notice>The service does not answer. What you write stays in this browser, and is kept once it does.</Notice>
      )}
      {s.standing === 'refused' && <Notice>{s.said}</Notice>}
      {s.merged && s.standing === 'kept' && (
        <Notice>{s.merged} changed other steps meanwhile. Both changes stand.</Notice>
      )}
      {s.clash && <ClashNotice />}
    </>
  )
}

function Notice({ children }: { children: React.ReactNode }) {
  return (
    <p role="status" className="border-b border-line bg-weld-wash px-6 py-1.5 text-[0.93rem]">
      {children}
    </p>
  )
}

/** ClashNotice shows a step that two changed at once, and asks whose words count. */
function ClashNotice() {
  const { draft } = useBuild()
  const { clash } = useDraftState(draft)
  const [busy, setBusy] = useState(false)
  if (!clash) return null
  const prefer = (whose: 'mine' | 'theirs') => {
    setBusy(true)
    void draft.save(whose).finally(() => setBusy(false))
  }
  return (
    <section role="alert" className="border-b border-line bg-weld-wash px-6 py-3">
      <h2 className="font-semibold">{clash.by} changed the same step meanwhile. Nothing was kept yet.</h2>
      {clash.clashes.map((c, i) => (
        <div key={i} className="mt-2 grid gap-3 md:grid-cols-2">
          <Side title="Yours" text={c.mine} />
          <Side title={`As ${clash.by} left it`} text={c.theirs} />
        </div>
      ))}
      <div className="mt-3 flex gap-2">
        <Button strong disabled={busy} onClick={() => prefer('mine')}>
          Keep yours
        </Button>
        <Button disabled={busy} onClick={() => prefer('theirs')}>
          Take theirs
        </Button>
      </div>
    </section>
  )
}

function Side({ title, text }: { title: string; text: string }) {
  return (
    <figure className="min-w-0">
      <figcaption className="text-[0.87rem] text-quiet">{title}</figcaption>
      <pre className="max-h-60 overflow-auto rounded-md border border-line bg-raised p-2 font-mono text-[0.84rem]">
        {text || 'removed'}
      </pre>
    </figure>
  )
}
