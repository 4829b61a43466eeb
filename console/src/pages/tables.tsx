import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Download, Plus, Upload } from 'lucide-react'
import { useRef, useState } from 'react'
import { Link, NavLink, useNavigate, useParams } from 'react-router'
import { call, mayBuild, type Row, type Rows, type Session, type Table } from '../api'
import Definition from '../making/definition'
import { Head } from '../parts/frame'
import { RowForm } from '../parts/row-form'
import { Button, Chip, Empty, Loading, Trouble } from '../parts/states'
import { cell, count, plain, when } from '../words'

/** Tables lists the workspace's own tables, and one with its rows. */
export default function Tables({ session }: { session: Session }) {
  const { id } = useParams()
  const builds = mayBuild(session)
  const all = useQuery({ queryKey: ['tables'], queryFn: () => call<Table[]>('GET', '/tables') })
  if (all.isPending) return <Loading />
  if (all.error) return <Trouble error={all.error} again={() => void all.refetch()} />
  if (all.data.length === 0) {
    return (
      <>
        <Head title="Tables" />
        <Empty title="No tables yet">
          A table has typed columns; people and workflows add its rows.
          {builds && (
            <span className="mt-3 block">
              <NewTable />
            </span>
          )}
        </Empty>
      </>
    )
  }
  const one = all.data.find((t) => t.id === (id ?? all.data[0].id))
  return (
    <>
      <Head title="Tables" beside={<Chip>{count(all.data.length, 'table')}</Chip>} right={builds && <NewTable />}>
        <nav aria-label="Tables" className="mt-2 -mb-3 flex gap-1 overflow-x-auto">
          {all.data.map((t) => (
            <NavLink
              key={t.id}
              to={`/tables/${t.id}`}
              className={`rounded-t-md border border-b-0 px-3 py-1 whitespace-nowrap no-underline ${t.id === one?.id ? 'border-line bg-raised font-semibold' : 'border-transparent hover:bg-raised'}`}
            >
              {t.title}
            </NavLink>
          ))}
        </nav>
      </Head>
      {one ? (
        <One key={one.id} of={one} session={session} />
      ) : (
        <Empty title="There is no such table">
          It may have been renamed.{' '}
          <Link to="/tables" className="underline">
            See all
          </Link>
          .
        </Empty>
      )}
    </>
  )
}

/** NewTable makes one more. */
function NewTable() {
  const [making, make] = useState(false)
  const go = useNavigate()
  const made = (id: string) => {
    make(false)
    void go(`/tables/${id}`)
  }
  return (
    <>
      <Button strong onClick={() => make(true)}>
        New table
      </Button>
      {making && <Definition kind="table" title="New table" onMade={made} onClose={() => make(false)} />}
    </>
  )
}

/** Columns changes the columns of a table. */
function Columns({ of }: { of: Table }) {
  const [changing, change] = useState(false)
  const done = () => change(false)
  return (
    <>
      <Button onClick={() => change(true)}>Columns…</Button>
      {changing && <Definition kind="table" id={of.id} title={`Change ${of.title}`} onMade={done} onClose={done} />}
    </>
  )
}

function One({ of, session }: { of: Table; session: Session }) {
  const client = useQueryClient()
  const [words, setWords] = useState('')
  const [editing, edit] = useState<Row | 'new'>()
  const open = editing === 'new' ? undefined : editing
  const rows = useInfiniteQuery({
    queryKey: ['rows', of.id, words],
    initialPageParam: 0,
    queryFn: ({ pageParam }) =>
      call<Rows>(
        'GET',
        `/tables/${of.id}/rows?limit=100&text=${encodeURIComponent(words)}${pageParam ? `&before=${pageParam}` : ''}`,
      ),
    getNextPageParam: (last) => (last.more ? last.rows.at(-1)?.row : undefined),
  })
  const refresh = () => {
    void client.invalidateQueries({ queryKey: ['rows', of.id] })
    void client.invalidateQueries({ queryKey: ['tables'] })
  }
  const may = session.person.role !== 'reader'
  const builds = mayBuild(session)
  const found = rows.data?.pages.flatMap((p) => p.rows) ?? []
  return (
    <div className="px-4 py-4 md:px-6">
      <div className="flex flex-wrap items-center gap-2">
        <p className="w-full min-w-0 text-quiet sm:w-auto sm:flex-1">
          {of.purpose && `${of.purpose[0].toUpperCase()}${of.purpose.slice(1)}. `}
          {count(of.rows, 'row')}
          {of.used_by.length > 0 && `, used by ${of.used_by.map(plain).join(', ')}`}.
        </p>
        <input
          type="search"
          aria-label="Search rows"
          placeholder="Search rows"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          className="w-full sm:w-48 rounded-md border border-line bg-paper px-3 py-1.5"
        />
        {may && (
          <Button onClick={() => edit('new')}>
            <Plus size={16} aria-hidden="true" />
            Add a row
          </Button>
        )}
        {builds && <Columns of={of} />}
        <CSV of={of} builds={builds} done={refresh} />
      </div>
      {editing && (
        <RowForm
          key={open?.row ?? 'new'}
          of={of}
          row={open}
          builds={builds}
          close={() => edit(undefined)}
          done={refresh}
        />
      )}
      {rows.isPending && <Loading />}
      {rows.error && <Trouble error={rows.error} again={() => void rows.refetch()} />}
      {rows.data && found.length === 0 && (
        <Empty title={words ? 'No row has these words' : 'No rows yet'}>
          {words ? 'Try fewer of them.' : 'Workflows and agents add them; so can you, or a CSV file.'}
        </Empty>
      )}
      {found.length > 0 && <Grid of={of} rows={found} open={open} choose={may ? edit : undefined} />}
      {rows.hasNextPage && (
        <Button className="mt-3" disabled={rows.isFetchingNextPage} onClick={() => void rows.fetchNextPage()}>
          {rows.isFetchingNextPage ? <span className="breathe">One moment…</span> : 'Older rows'}
        </Button>
      )}
    </div>
  )
}

/** Grid is the rows of a table; the first cell of each opens it, where one may. */
function Grid({ of, rows, open, choose }: { of: Table; rows: Row[]; open?: Row; choose?: (row: Row) => void }) {
  return (
    <div
      className="mt-3 overflow-x-auto rounded-md border border-line"
      tabIndex={0}
      role="region"
      aria-label={`Rows of ${of.title}`}
    >
      <table className="w-full border-collapse text-[0.93rem]">
        <thead className="bg-raised text-left">
          <tr>
            {of.columns.map((c) => (
              <th
                key={c.name}
                scope="col"
                className={`px-3 py-1.5 font-semibold whitespace-nowrap ${c.type === 'number' ? 'text-right' : ''}`}
              >
                {c.title}
              </th>
            ))}
            <th scope="col" className="px-3 py-1.5 font-semibold">
              Changed
            </th>
          </tr>
        </thead>
        <tbody className="divide-y divide-line">
          {rows.map((r) => (
            <tr key={r.row} className={r.row === open?.row ? 'bg-wash' : 'hover:bg-raised'}>
              {of.columns.map((c, i) => (
                <td
                  key={c.name}
                  className={`max-w-72 truncate px-3 py-1.5 ${c.type === 'number' ? 'text-right font-mono text-[0.87rem]' : ''}`}
                  title={cell(r.values[c.name])}
                >
                  {i === 0 && choose ? (
                    <button
                      className="max-w-full truncate underline decoration-line underline-offset-2 hover:decoration-current"
                      onClick={() => choose(r)}
                    >
                      {cell(r.values[c.name]) || 'open'}
                    </button>
                  ) : (
                    cell(r.values[c.name])
                  )}
                </td>
              ))}
              <td className="px-3 py-1.5 whitespace-nowrap text-quiet">{when(r.changed)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

/** CSV takes every row out as a file, or a file's rows in. */
function CSV({ of, builds, done }: { of: Table; builds: boolean; done: () => void }) {
  const file = useRef<HTMLInputElement>(null)
  const take = useMutation({
    mutationFn: (text: string) => call<{ added: number; changed: number }>('POST', `/tables/${of.id}/csv`, { text }),
    onSettled: done,
  })
  const save = async () => {
    const { text } = await call<{ text: string }>('GET', `/tables/${of.id}/csv`)
    const link = document.createElement('a')
    link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }))
    link.download = `${of.id}.csv`
    link.click()
    URL.revokeObjectURL(link.href)
  }
  return (
    <>
      <Button onClick={() => void save()}>
        <Download size={16} aria-hidden="true" />
        CSV
      </Button>
      {builds && (
        <>
          <Button onClick={() => file.current?.click()} disabled={take.isPending}>
            <Upload size={16} aria-hidden="true" />
            {take.isPending ? 'Taking in…' : 'Import'}
          </Button>
          <input
            ref={file}
            type="file"
            accept=".csv,text/csv"
            className="hidden"
            aria-label="CSV file"
            onChange={(e) => {
              const f = e.target.files?.[0]
              if (f) void f.text().then((t) => take.mutate(t))
              e.target.value = ''
            }}
          />
        </>
      )}
      {take.data && (
        <p role="status" className="w-full text-lichen">
          {count(take.data.added, 'row')} added, {take.data.changed} changed.
        </p>
      )}
      {take.error && (
        <p role="alert" className="w-full text-madder">
          {take.error.message} Nothing was taken in.
        </p>
      )}
    </>
  )
}
