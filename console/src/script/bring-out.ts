import { use, useState } from 'react'
import { call, type BroughtOut } from '../api'
import type { Readable } from '../parts/dragged'
import type { Draft } from './draft'
import { codeOf } from './picker'
import { pathOf } from './pointer'
import { seenAt } from './scope'
import { BuildContext } from './use-draft'

/** useBroughtOut reads a value that is let go at a place; the blocks it comes out of give it from then on. */
export function useBroughtOut(place: string) {
  const build = use(BuildContext)
  const [error, setError] = useState<Error>()
  const bring = async (value: Readable): Promise<string | undefined> => {
    setError(undefined)
    if (!build || !value.from) return value.code
    try {
      return await broughtOut(build.draft, value.code, value.from, place)
    } catch (e) {
      setError(e as Error)
      return undefined
    }
  }
  return { bring, error }
}

async function broughtOut(draft: Draft, code: string, from: string, to: string): Promise<string> {
  const said = await call<BroughtOut>('POST', `/workflows/${encodeURIComponent(draft.id)}/bring-out`, {
    text: draft.get().text,
    code,
    from,
    to,
  })
  if (said.code === code) return code
  const acts = said.writes.map((w) => ({ do: 'set' as const, path: pathOf(w.field), value: w.text, order: ['id'] }))
  if (acts.length > 0) await draft.actAll(acts)
  const leaf = seenAt(draft.get(), to).byCode.get(said.code)
  return leaf ? codeOf(leaf) : said.code
}
