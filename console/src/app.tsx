import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { Navigate, Route, Routes, useLocation } from 'react-router'
import { call, Refused, type Session } from './api'
import { listen } from './live'
import { Join, SignIn } from './pages/signin'
import { Boundary } from './parts/boundary'
import { Frame } from './parts/frame'
import { Loading, Trouble } from './parts/states'
import { setPlace } from './words'
import { later } from './parts/later'

const Today = later(() => import('./pages/today').then((m) => m.default))
const Workflows = later(() => import('./pages/workflows').then((m) => m.default))
const Workflow = later(() => import('./pages/workflow').then((m) => m.default))
const Agents = later(() => import('./pages/agents').then((m) => m.default))
const Agent = later(() => import('./pages/agent').then((m) => m.default))
const Runs = later(() => import('./pages/runs').then((m) => m.default))
const Facts = later(() => import('./pages/facts').then((m) => m.default))
const FollowUps = later(() => import('./pages/follow-ups').then((m) => m.default))
const Run = later(() => import('./pages/run').then((m) => m.default))
const Reviews = later(() => import('./pages/reviews').then((m) => m.default))
const Connections = later(() => import('./pages/connections').then((m) => m.default))
const Tables = later(() => import('./pages/tables').then((m) => m.default))
const Account = later(() => import('./pages/account').then((m) => m.default))
const Talk = later(() => import('./pages/talk').then((m) => m.default))

/** App shows a hosted page to anybody, and the console to those who sign in. */
export function App() {
  const { pathname } = useLocation()
  if (pathname.startsWith('/talk/'))
    return (
      <Routes>
        <Route path="/talk/:page" element={<Talk />} />
      </Routes>
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
        <Routes>
          <Route path="/" element={<Today />} />
          <Route path="/workflows" element={<Workflows session={session.data} />} />
          <Route path="/workflows/:id" element={<Workflow session={session.data} />} />
          <Route path="/agents" element={<Agents session={session.data} />} />
          <Route path="/agents/:id" element={<Agent session={session.data} />} />
          <Route path="/facts" element={<Facts />} />
          <Route path="/runs" element={<Runs />} />
          <Route path="/runs/follow-ups" element={<FollowUps />} />
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
      </Boundary>
    </Frame>
  )
}
