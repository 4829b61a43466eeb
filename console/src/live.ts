import type { QueryClient } from '@tanstack/react-query'

/** News is one thing that changed in the service. */
export interface News {
  kind: string
  run?: string
  workflow?: string
  thread?: string
  status?: string
  step?: string
  text?: string
}

const kinds = ['run', 'review', 'message', 'piece', 'resync', 'ready'] as const
const channel = new BroadcastChannel('woolsignal-live')
const listeners = new Set<(n: News) => void>()
channel.onmessage = (e) => listeners.forEach((l) => l(e.data as News))

/** onNews calls back with everything that changes; it returns how to stop. */
export function onNews(listener: (n: News) => void): () => void {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

function open() {
  const source = new EventSource('/api/v1/live')
  for (const kind of kinds) {
    source.addEventListener(kind, (e) => {
      const news: News = { ...JSON.parse((e as MessageEvent).data), kind }
      listeners.forEach((l) => l(news))
      channel.postMessage(news)
    })
  }
  return source
}

/**
 * listen keeps one stream for all tabs of this browser: the tab that holds the
 * lock reads it and passes everything on to the others.
 */
export function listen(client: QueryClient): () => void {
  const stop = new AbortController()
  let source: EventSource | undefined
  // Without the lock (an address that is not secure) every tab reads for itself.
  if (navigator.locks) {
    navigator.locks
      .request('woolsignal-live', { signal: stop.signal }, () => {
        source = open()
        return new Promise<void>((done) => stop.signal.addEventListener('abort', () => done()))
      })
      .catch(() => undefined) // stopped before it was this tab's turn
  } else source = open()
  let connected = false
  const off = onNews((n) => {
    if (n.kind === 'piece') return
    if (n.kind === 'ready' && !connected) {
      connected = true // what was just read is fresh; after a break it is not
      return
    }
    const stale =
      n.kind === 'run'
        ? ['runs', 'run', 'today', 'thread']
        : n.kind === 'review'
          ? ['reviews', 'today', 'session', 'run']
          : n.kind === 'message'
            ? ['thread']
            : undefined
    if (!stale) return void client.invalidateQueries()
    for (const key of stale) void client.invalidateQueries({ queryKey: key === 'run' && n.run ? [key, n.run] : [key] })
  })
  return () => {
    off()
    stop.abort()
    source?.close()
  }
}
