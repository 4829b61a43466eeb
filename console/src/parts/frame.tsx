import { useQueryClient } from '@tanstack/react-query'
import { Menu, X } from 'lucide-react'
import { type ReactNode, useState } from 'react'
import { Link, NavLink, useLocation } from 'react-router'
import { call, mayBuild, type Session } from '../api'
import { later } from './later'

const Definition = later(() => import('../making/definition').then((m) => m.default), null)

const pages = [
  { to: '/', name: 'Today' },
  { to: '/workflows', name: 'Workflows' },
  { to: '/agents', name: 'Agents' },
  { to: '/reviews', name: 'Reviews' },
  { to: '/runs', name: 'Runs' },
  { to: '/connections', name: 'Connections', builds: true },
  { to: '/tables', name: 'Tables' },
]

export function Mark() {
  return (
    <Link to="/" className="flex items-center gap-2 text-lg font-bold no-underline">
      <svg
        viewBox="0 0 24 24"
        className="size-6"
        fill="none"
        strokeWidth="2.4"
        strokeLinecap="round"
        aria-hidden="true"
      >
        <path d="M2 19c3 0 3.5-13 7-13s3.5 11 6.5 11S18 5 22 4" stroke="var(--indigo)" />
        <circle cx="21.6" cy="4" r="1.8" fill="var(--madder)" />
      </svg>
      Wool Signal
    </Link>
  )
}

/** Frame is what stands around every page: the way to the others, and who one is. */
export function Frame({ session, children }: { session: Session; children: ReactNode }) {
  const { pathname } = useLocation()
  const [openAt, setOpenAt] = useState<string>() // going to another page closes the menu
  const open = openAt === pathname
  return (
    <div className="flex min-h-screen flex-col md:h-screen md:flex-row">
      <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-20 focus:bg-raised focus:p-2">
        Skip to the page
      </a>
      <header className="flex items-center justify-between border-b border-line px-4 py-2 md:hidden">
        <Mark />
        <button
          aria-label={open ? 'Close the menu' : 'Open the menu'}
          aria-expanded={open}
          className="p-2"
          onClick={() => setOpenAt(open ? undefined : pathname)}
        >
          {open ? <X size={20} /> : <Menu size={20} />}
        </button>
      </header>
      <nav
        aria-label="Pages"
        className={`${open ? 'flex' : 'hidden'} shrink-0 flex-col border-line px-2.5 py-4 max-md:border-b md:flex md:w-46 md:border-r`}
      >
        <div className="mb-5 hidden px-2 md:block">
          <Mark />
        </div>
        <ul className="space-y-0.5">
          {pages
            .filter((p) => !p.builds || mayBuild(session))
            .map((p) => (
              <li key={p.to}>
                <NavLink
                  to={p.to}
                  end={p.to === '/'}
                  className={({ isActive }) =>
                    `flex items-center justify-between rounded-md border px-2.5 py-1.5 no-underline ${isActive ? 'border-line bg-raised font-semibold' : 'border-transparent hover:bg-raised'}`
                  }
                >
                  {p.name}
                  {p.to === '/reviews' && session.reviews > 0 && (
                    <span className="rounded-full bg-weld-wash px-2 text-xs font-bold text-weld">
                      <span className="sr-only">, waiting for you: </span>
                      {session.reviews}
                    </span>
                  )}
                </NavLink>
              </li>
            ))}
        </ul>
        <Who session={session} />
      </nav>
      <main id="page" tabIndex={-1} className="min-w-0 flex-1 outline-none md:overflow-y-auto">
        {children}
      </main>
    </div>
  )
}

function Who({ session }: { session: Session }) {
  const [changing, change] = useState(false)
  const client = useQueryClient()
  const leave = async () => {
    await call('DELETE', '/session')
    client.clear()
    client.setQueryData(['session'], null)
  }
  return (
    <div className="mt-auto border-t border-line px-2 pt-3 text-[0.87rem] text-quiet max-md:mt-4">
      <Link to="/account" className="text-ink underline underline-offset-2">
        {session.person.name}
      </Link>
      <p>
        {mayBuild(session) ? (
          <button className="text-left underline underline-offset-2 hover:text-ink" onClick={() => change(true)}>
            {session.workspace}
          </button>
        ) : (
          session.workspace
        )}
        <span className="block">{session.person.role}</span>
      </p>
      {changing && (
        <Definition
          kind="workspace"
          id="woolsignal"
          title="The workspace"
          onMade={() => change(false)}
          onClose={() => change(false)}
        />
      )}
      <button className="mt-1 underline underline-offset-2 hover:text-ink" onClick={() => void leave()}>
        Sign out
      </button>
    </div>
  )
}

/** Head is the top of a page. */
export function Head({
  title,
  above,
  beside,
  right,
  children,
}: {
  title: ReactNode
  above?: ReactNode
  beside?: ReactNode
  right?: ReactNode
  children?: ReactNode
}) {
  return (
    <div className="border-b border-line px-4 pt-4 pb-3 md:px-6">
      {above && <p className="text-[0.87rem] text-quiet">{above}</p>}
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <h1 className="line-clamp-2 min-w-0 text-xl font-bold wrap-anywhere">{title}</h1>
        {beside}
        {right && <span className="ml-auto">{right}</span>}
      </div>
      {children}
    </div>
  )
}
