import type { Detail } from '../api'

type Thing = NonNullable<Detail['reviews'][number]['thing']>

/** ThingView is what a call is about: as it is, and what of it will be another. */
export function ThingView({ thing: t }: { thing: Thing }) {
  const changes = t.changes ?? []
  return (
    <div className="max-w-xl rounded-lg border border-line bg-raised px-3 py-2">
      {t.words && <p className="font-semibold wrap-anywhere">{t.words}</p>}
      {t.unknown && <p className="text-weld">What it is about could not be looked at: {t.unknown}</p>}
      {changes.length > 0 && (
        <table className="mt-1.5 w-full text-left">
          <thead className="text-[0.84rem] text-quiet">
            <tr>
              <th className="pr-3 font-normal" />
              <th className="pr-3 font-normal">Before</th>
              <th className="font-normal">After</th>
            </tr>
          </thead>
          <tbody>
            {changes.map((c) => (
              <tr key={c.name} className="align-top">
                <th scope="row" className="pr-3 font-normal text-quiet">
                  {c.name}
                </th>
                <td className="pr-3 wrap-anywhere">{c.before ? <del>{c.before}</del> : 'nothing'}</td>
                <td className="wrap-anywhere">
                  {c.after ? <ins className="font-semibold no-underline">{c.after}</ins> : 'nothing'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}
