import { useQuery, useQueryClient } from '@tanstack/react-query'
import { lazy, Suspense, useEffect } from 'react'
import { Navigate, Route, Routes, useLocation } from 'react-router'
import { call, Refused, type Session } from './api'
import { listen } from './live'
import { Join, SignIn } from './pages/signin'
import { Boundary } from './parts/boundary'
import { Frame } from './parts/frame'
import { Loading, Trouble } from './parts/states'
import { setPlace } from './words'

const Today = lazy(() => import('./pages/today'))
const Workflows = lazy(() => import('./pages/workflows'))
const Workflow = lazy(() => import('./pages/workflow'))
const Agents = lazy(() => import('./pages/agents'))
const Agent = lazy(() => import('./pages/agent'))
const Runs = lazy(() => import('./pages/runs'))
const Run = lazy(() => import('./pages/run'))
const Reviews = lazy(() => import('./pages/reviews'))
const Connections = lazy(() => import('./pages/connections'))
const Tables = lazy(() => import('./pages/tables'))
const Account = lazy(() => import('./pages/account'))
const Talk = lazy(() => import('./pages/talk'))

/** App shows a hosted page to anybody, and the console to those who sign in. */
export function App() {
  const { pathname } = useLocation()
  if (pathname.startsWith('/talk/'))
    return (
      <Suspense fallback={<Loading />}>
        <Routes>
          <Route path="/talk/:page" element={<Talk />} />
        </Routes>
      </Suspense>
    )
  return <Console />
}

/** Console shows the sign-in page to strangers and itself to everybody else. */
function Console() {
  const client = useQueryClient()
  const { pathname } = useLocation()
  const session = useQuery({
    queryKey: ['session'],
    queryFn: () =>
      call<Session>('GET', '/session').catch((e) => {
        if (e instanceof Refused && e.status === 401) return null
        throw e
      }),
  })
  const who = session.data?.person.email
  useEffect(() => (who ? listen(client) : undefined), [client, who])
  if (session.isPending) return <Loading />
  if (session.error) return <Trouble error={session.error} again={() => void session.refetch()} />
  if (!session.data) {
    return (
      <Routes>
        <Route path="/join" element={<Join />} />
        <Route path="*" element={<SignIn />} />
      </Routes>
    )
  }
  setPlace(session.data.zone, session.data.currency)
  return (
    <Frame session={session.data}>
      <Boundary at={pathname}>
        <Suspense fallback={<Loading />}>
          <Routes>
            <Route path="/" element={<Today />} />
            <Route path="/workflows" element={<Workflows session={session.data} />} />
            <Route path="/workflows/:id" element={<Workflow session={session.data} />} />
            <Route path="/agents" element={<Agents session={session.data} />} />
            <Route path="/agents/:id" element={<Agent session={session.data} />} />
            <Route path="/runs" element={<Runs />} />
            <Route path="/runs/:id" element={<Run session={session.data} />} />
            <Route path="/reviews" element={<Reviews />} />
            <Route path="/reviews/:id" element={<Reviews />} />
            <Route path="/connections" element={<Connections />} />
            <Route path="/connections/:id" element={<Connections />} />
            <Route path="/tables" element={<Tables session={session.data} />} />
            <Route path="/tables/:id" element={<Tables session={session.data} />} />
            <Route path="/account" element={<Account session={session.data} />} />
            <Route path="*" element={<Navigate to="/" replace />} />
          </Routes>
        </Suspense>
      </Boundary>
    </Frame>
  )
}
