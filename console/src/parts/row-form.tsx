import { useMutation } from '@tanstack/react-query'
import { Trash2 } from 'lucide-react'
import { type FormEvent, useState } from 'react'
import { call, type Column, type Row, type Table } from '../api'
import { cell } from '../words'
import { Button } from './states'

/** RowForm is a row as a form, made of the table's columns. */
export function RowForm({
  of,
  row,
  builds,
  close,
  done,
}: {
  of: Table
  row?: Row
  builds: boolean
  close: () => void
  done: () => void
}) {
  const [sure, setSure] = useState(false)
  const keep = useMutation({
    mutationFn: (values: Record<string, unknown>) =>
      row
        ? call<Row>('PUT', `/tables/${of.id}/rows/${row.row}`, { values })
        : call<Row>('POST', `/tables/${of.id}/rows`, { values }),
    onSuccess: () => {
      done()
      close()
    },
  })
  const remove = useMutation({
    mutationFn: () => call('DELETE', `/tables/${of.id}/rows/${row?.row}`),
    onSuccess: () => {
      done()
      close()
    },
  })
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const form = new FormData(e.currentTarget)
    const values: Record<string, unknown> = {}
    for (const c of of.columns) {
      const text = String(form.get(c.name) ?? '').trim()
      if (text !== '')
        values[c.name] =
          c.type === 'number' ? Number(text.replace(',', '.')) : c.type === 'yes_no' ? text === 'yes' : text
      else if (row) values[c.name] = null
    }
    keep.mutate(values)
  }
  return (
    <form
      onSubmit={submit}
      aria-label={row ? `Row ${row.row}` : 'A new row'}
      className="mt-3 rounded-lg border border-line bg-raised p-4"
    >
      <div className="grid gap-x-4 gap-y-3 sm:grid-cols-2 lg:grid-cols-3">
        {of.columns.map((c) => (
          <Field key={c.name} of={c} value={cell(row?.values[c.name])} />
        ))}
      </div>
      {(keep.error ?? remove.error) && (
        <p role="alert" className="mt-2 text-madder">
          {(keep.error ?? remove.error)?.message}
        </p>
      )}
      <div className="mt-4 flex flex-wrap gap-2">
        <Button strong type="submit" disabled={keep.isPending}>
          {keep.isPending ? <span className="breathe">Keeping…</span> : row ? 'Keep changes' : 'Add it'}
        </Button>
        <Button onClick={close}>Leave it</Button>
        {row &&
          builds &&
          (sure ? (
            <Button className="ml-auto text-madder" onClick={() => remove.mutate()}>
              <Trash2 size={16} aria-hidden="true" />
              Yes, remove it for good
            </Button>
          ) : (
            <Button className="ml-auto" onClick={() => setSure(true)}>
              <Trash2 size={16} aria-hidden="true" />
              Remove
            </Button>
          ))}
      </div>
    </form>
  )
}

function Field({ of, value }: { of: Column; value: string }) {
  const look = 'mt-0.5 w-full rounded-md border border-line bg-paper px-3 py-1.5'
  const choices = of.type === 'yes_no' ? ['yes', 'no'] : of.choices
  return (
    <label className="block min-w-0">
      <span className="text-[0.87rem] font-semibold">
        {of.title}
        {!of.required && <span className="font-normal text-quiet"> (if known)</span>}
      </span>
      {choices ? (
        <select name={of.name} defaultValue={value} required={of.required} className={look}>
          <option value="" />
          {choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
      ) : (
        <input
          name={of.name}
          type={of.type === 'date' ? 'date' : 'text'}
          inputMode={of.type === 'number' ? 'decimal' : undefined}
          pattern={of.type === 'number' ? '-?[0-9]+([.,][0-9]+)?' : undefined}
          title={of.type === 'number' ? 'A number, such as 412.5' : undefined}
          defaultValue={value}
          required={of.required}
          className={look}
        />
      )}
    </label>
  )
}
