import { Tabs } from 'radix-ui'
import { Redo2, Undo2 } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import type { Detail, Script } from '../api'
import { useKnown } from '../making/use-file'
import { Head } from '../parts/frame'
import { LiveState } from '../parts/live-state'
import { Button, Chip, Loading, Trouble } from '../parts/states'
import { ToAll, Way, Ways } from '../parts/ways'
import { Lines } from './lines'
import { Publish } from './publish'
import { Panel } from './try/panel'
import { signalOf, useTrying, type Trying } from './try/use-trying'
import { Notices, StandingChip } from './standing'
import { BuildContext, FormContext, useBuild, useDraft, useDraftState } from './use-draft'
import { Whole } from './whole'
import { useUndoKeys } from './undo-keys'
import { later } from '../parts/later'

const FileView = later(() => import('./file-view').then((m) => m.default))
const Versions = later(() => import('../parts/versions').then((m) => m.Versions))
const Chat = later(() => import('../parts/chat').then((m) => m.Chat))

interface Shown {
  script: Script
  run?: Detail
  person: string
}

/** Building is the page on which a workflow is built, tried and made live. */
export default function Building({ script, run, person }: Shown) {
  const { known, error } = useKnown()
  const draft = useDraft(script, person)
  const trying = useTrying(script.id, draft)
  const shown = trying.run ?? run
  const begins = signalOf(trying)
  const signal = begins?.signal
  const sample = begins?.sample
  const build = useMemo(
    () => (known ? { ...known, draft, run: shown, begins: signal && { signal, sample } } : null),
    [draft, known, shown, signal, sample],
  )
  if (error) return <Trouble error={error} />
  if (!build) return <Loading />
  return (
    <BuildContext value={build}>
      <FormContext value={build}>
        <Page script={script} trying={trying} />
      </FormContext>
    </BuildContext>
  )
}

function Page({ script, trying }: { script: Script; trying: Trying }) {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  const [chosen, choose] = useState<string>()
  const way = chosen ?? (s.trouble ? 'file' : 'script')
  useUndoKeys(draft)
  useEffect(soon, [])
  return (
    <div className="flex min-h-full flex-col xl:h-full">
      <Tabs.Root value={way} onValueChange={choose} className="flex flex-1 flex-col xl:min-h-0">
        <PageHead script={script} />
        <Notices />
        <div className="flex flex-1 flex-col xl:min-h-0 xl:flex-row">
          <div className="min-w-0 flex-1 overflow-x-hidden xl:overflow-y-auto">
            <Tabs.Content value="script" tabIndex={-1} className="outline-none">
              {s.trouble ? <Unreadable trouble={s.trouble} /> : <Lines />}
            </Tabs.Content>
            <Tabs.Content value="file" tabIndex={-1} className="h-full outline-none">
              <FileView />
            </Tabs.Content>
            <Tabs.Content value="versions" className="outline-none">
              <Versions script={script} may />
            </Tabs.Content>
          </div>
          <Beside script={script} trying={trying} />
        </div>
      </Tabs.Root>
    </div>
  )
}

/** soon fetches what texts are written with: not before the page is there, and before somebody writes. */
function soon() {
  const fetching = window.setTimeout(() => void import('./value-editor'), 1500)
  return () => window.clearTimeout(fetching)
}

/** Beside is where the draft is tried: on a signal, or in a conversation. */
function Beside({ script, trying }: { script: Script; trying: Trying }) {
  const wide = 'border-line max-xl:border-t xl:w-96 xl:shrink-0 xl:overflow-y-auto xl:border-l'
  if (!script.chat)
    return (
      <div className={`bg-raised ${wide}`}>
        <Panel script={script} trying={trying} />
      </div>
    )
  return (
    <Tabs.Root defaultValue="talk" className={`flex flex-col bg-raised ${wide}`}>
      <Tabs.List aria-label="Ways of trying it" className="flex gap-5 border-b border-line px-4 pt-2">
        <Way value="talk" words="talk with it" />
        <Way value="run" words="run it" />
      </Tabs.List>
      <Tabs.Content value="talk" className="flex min-h-0 flex-1 flex-col max-xl:h-120">
        <Chat script={script} may draft={script.drafted || script.version === 0} />
      </Tabs.Content>
      <Tabs.Content value="run">
        <Panel script={script} trying={trying} />
      </Tabs.Content>
    </Tabs.Root>
  )
}

function Unreadable({ trouble }: { trouble: string }) {
  return (
    <p className="max-w-xl p-6">
      The file cannot be read as a script: {trouble}. Put it right under <b>File</b>; the marks there say where.
    </p>
  )
}

function PageHead({ script }: { script: Script }) {
  const { draft } = useBuild()
  const s = useDraftState(draft)
  const wrong = s.problems.filter((p) => p.severity === 'wrong').length
  return (
    <Head
      title={script.title}
      above={<ToAll />}
      beside={
        <>
          <LiveState of={script} />
          <StandingChip script={script} />
          {wrong > 0 && (
            <Chip>
              <span className="text-madder">{wrong} to put right</span>
            </Chip>
          )}
        </>
      }
      right={
        <span className="flex items-center gap-2">
          <Button aria-label="Undo" title="Undo (Ctrl Z)" disabled={!s.canUndo} onClick={draft.undo}>
            <Undo2 className="size-4" aria-hidden="true" />
          </Button>
          <Button aria-label="Redo" title="Redo (Ctrl Y)" disabled={!s.canRedo} onClick={draft.redo}>
            <Redo2 className="size-4" aria-hidden="true" />
          </Button>
          <Publish script={script} />
          <Whole script={script} />
        </span>
      }
    >
      <p className="mt-0.5 text-quiet">{script.purpose}</p>
      <Ways of={['script', 'file', 'versions']} />
    </Head>
  )
}
