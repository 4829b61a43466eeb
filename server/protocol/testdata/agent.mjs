// An agent made with the protocol's own JavaScript SDK, for tests: what it does stands
// in what it is asked. It is started with a port and whether it streams.
import { createRequire } from 'node:module'
import { pathToFileURL } from 'node:url'
import { join } from 'node:path'

const [port, streams, modules] = process.argv.slice(2)
const require = createRequire(pathToFileURL(join(modules, 'here.js')))
const load = (name) => import(pathToFileURL(require.resolve(name)))
const express = (await load('express')).default
const { TaskState, Role } = await load('@a2a-js/sdk')
const { AgentEvent, DefaultRequestHandler, InMemoryTaskStore } = await load('@a2a-js/sdk/server')
const { agentCardHandler, jsonRpcHandler, UserBuilder } = await load('@a2a-js/sdk/server/express')

const card = {
  name: 'Fleece hauliers', description: 'Answers about lorries.', version: '1', provider: undefined,
  supportedInterfaces: [
    { url: `http://127.0.0.1:${port}/rpc`, protocolBinding: 'JSONRPC', tenant: '', protocolVersion: '1.0' },
  ],
  capabilities: { streaming: streams === 'streams', pushNotifications: false, extensions: [], extendedAgentCard: false },
  securitySchemes: {}, securityRequirements: [], defaultInputModes: ['text/plain', 'application/json'],
  defaultOutputModes: ['text/plain', 'application/json'], signatures: [],
  skills: [
    { id: 'Book-Lorry', name: 'Book a lorry', description: 'Books a lorry.', tags: ['haulage'],
      examples: ['A lorry for 12 bales on Friday'], inputModes: [], outputModes: [], securityRequirements: [] },
  ],
}

const text = (words) => ({ content: { $case: 'text', value: words }, metadata: undefined, filename: '', mediaType: '' })
const data = (value) => ({ content: { $case: 'data', value }, metadata: undefined, filename: '', mediaType: '' })
const said = (ctx, id, words) => ({
  messageId: id, contextId: ctx.contextId, taskId: ctx.taskId, role: Role.ROLE_AGENT, parts: [text(words)],
  metadata: undefined, extensions: [], referenceTaskIds: [],
})

const stopped = new Set()

class Haulier {
  cancelTask = async (id, bus) => {
    stopped.add(id)
    bus.publish(AgentEvent.statusUpdate({ taskId: id, contextId: '', metadata: undefined,
      status: { state: TaskState.TASK_STATE_CANCELED, message: undefined, timestamp: undefined } }))
    bus.finished()
  }

  async execute(ctx, bus) {
    const words = ctx.userMessage.parts.map((p) => (p.content?.$case === 'text' ? p.content.value : '')).join(' ')
    const status = (state, message) => ({ taskId: ctx.taskId, contextId: ctx.contextId, metadata: undefined,
      status: { state, message, timestamp: new Date().toISOString() } })
    if (words.includes('a word')) {
      bus.publish(AgentEvent.message(said(ctx, 'word', 'A word.')))
      return bus.finished()
    }
    bus.publish(AgentEvent.task(ctx.task ?? { id: ctx.taskId, contextId: ctx.contextId, artifacts: [], history: [],
      metadata: undefined, status: { state: TaskState.TASK_STATE_SUBMITTED, message: undefined, timestamp: undefined } }))
    bus.publish(AgentEvent.statusUpdate(status(TaskState.TASK_STATE_WORKING)))
    if (words.includes('never')) return
    const wait = /for (\d+) s/.exec(words)
    if (wait) await new Promise((done) => setTimeout(done, wait[1] * 1000))
    if (stopped.has(ctx.taskId)) return bus.finished()
    if (words.includes('unclear')) {
      bus.publish(AgentEvent.statusUpdate(status(TaskState.TASK_STATE_INPUT_REQUIRED, said(ctx, 'ask', 'On which day?'))))
      return bus.finished()
    }
    if (words.includes('impossible')) {
      bus.publish(AgentEvent.statusUpdate(status(TaskState.TASK_STATE_FAILED, said(ctx, 'fail', 'No lorry is free.'))))
      return bus.finished()
    }
    bus.publish(AgentEvent.artifactUpdate({ taskId: ctx.taskId, contextId: ctx.contextId, append: false, lastChunk: true,
      metadata: undefined, artifact: { artifactId: 'booking', name: '', description: '', metadata: undefined, extensions: [],
        parts: [text('A lorry is booked.'), data({ lorry: 'L-7' })] } }))
    bus.publish(AgentEvent.statusUpdate(status(TaskState.TASK_STATE_COMPLETED)))
    bus.finished()
  }
}

const handler = new DefaultRequestHandler(card, new InMemoryTaskStore(), new Haulier())
const app = express()
app.use('/.well-known/agent-card.json', agentCardHandler({ agentCardProvider: handler }))
app.use('/rpc', jsonRpcHandler({ requestHandler: handler, userBuilder: UserBuilder.noAuthentication }))
app.listen(Number(port), '127.0.0.1')
