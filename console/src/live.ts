import type { QueryClient, QueryKey } from '@tanstack/react-query'

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
  const { renew, end } = renewing(client)
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
    if (!stale) return renew()
    for (const key of stale) renew(key === 'run' && n.run ? [key, n.run] : [key])
  })
  return () => {
    off()
    end()
    stop.abort()
    source?.close()
  }
}

/**
 * renewing has what is shown read anew. What is on its way when news comes may be from
 * before it: it is read once more when it has arrived, so that no page stays at what was,
 * and none waits for ever where news comes faster than it is read.
 */
function renewing(client: QueryClient) {
  const cache = client.getQueryCache()
  const outdated = new Set<string>() // by the queries' hashes, of those on their way
  const end = cache.subscribe(({ type, query }) => {
    if (type === 'removed') outdated.delete(query.queryHash)
    if (query.state.fetchStatus === 'fetching' || !outdated.delete(query.queryHash)) return
    void client.invalidateQueries({ queryKey: query.queryKey, exact: true })
  })
  const renew = (queryKey?: QueryKey) => {
    for (const q of cache.findAll({ queryKey })) if (q.state.fetchStatus === 'fetching') outdated.add(q.queryHash)
    void client.invalidateQueries({ queryKey }, { cancelRefetch: false })
  }
  return { renew, end }
}
