import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { Edited } from '../agent/edited'
import { Gauge } from '../agent/gauge'
import { Given, inputsOf } from '../agent/given'
import { call, mayBuild, type AgentInFull, type Session } from '../api'
import { FileDraft } from '../making/file-draft'
import { useFile, useKnown } from '../making/use-file'
import { Talk, type Partner } from '../parts/chat'
import { Head } from '../parts/frame'
import { Chip, Loading, Trouble } from '../parts/states'
import { FormContext, type Filling } from '../script/use-draft'
import { count, roughly } from '../words'

/** Agent is one agent: what it is, edited in place, and a conversation to try it. */
export default function Agent({ session }: { session: Session }) {
  const { id = '' } = useParams()
  const one = useQuery({ queryKey: ['agent', id], queryFn: () => call<AgentInFull>('GET', `/agents/${id}`) })
  const { known, error } = useKnown()
  if (one.error ?? error) return <Trouble error={one.error ?? error} again={() => void one.refetch()} />
  if (one.isPending || !known) return <Loading />
  return <Shown key={id} of={one.data} known={known} may={mayBuild(session)} />
}

function Shown({ of, known, may }: { of: AgentInFull; known: Omit<Filling, 'draft'>; may: boolean }) {
  const file = useFile(() => new FileDraft('agent', of.id, of.text, of.text))
  const [given, give] = useState<Record<string, string>>({})
  const partner: Partner = {
    key: `agent-${of.id}`,
    title: of.title,
    path: `/agents/${of.id}/chat`,
    say: (thread, text) => {
      const inputs = of.inputs && inputsOf(of.inputs, given)
      return call('POST', `/agents/${of.id}/tasks`, { task: text, inputs, thread, held: true })
    },
  }
  return (
    <FormContext value={{ ...known, draft: file }}>
      <div className="flex min-h-full flex-col">
        <Head
          above={<Link to="/agents">Agents</Link>}
          title={of.title}
          beside={
            <>
              <Chip>
                {of.used_by.length ? `used by ${count(of.used_by.length, 'workflow')}` : 'used by no workflow'}
              </Chip>
              {of.usual && <Chip>a task costs {roughly(of.usual.cost_micros)}</Chip>}
            </>
          }
        >
          <p className="text-quiet">{of.purpose}</p>
        </Head>
        <div className="grid min-h-0 flex-1 lg:grid-cols-[minmax(0,1fr)_24rem]">
          <Edited file={file} may={may} />
          {may && (
            <aside className="flex min-h-96 flex-col border-line max-lg:border-t lg:sticky lg:top-0 lg:h-[calc(100vh-7rem)] lg:border-l">
              {of.inputs && <Given schema={of.inputs} values={given} onChange={give} />}
              <Talk
                partner={partner}
                may
                below={(run) => (
                  <>
                    <p className="border-t border-line px-4 pt-2 text-[0.84rem] text-quiet">
                      What would change something outside is held back here.
                    </p>
                    <Gauge run={run} window={of.model.window} />
                  </>
                )}
              />
            </aside>
          )}
        </div>
      </div>
    </FormContext>
  )
}
