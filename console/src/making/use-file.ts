import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import { call, type Language, type Names, type Tool } from '../api'
import type { Filling } from '../script/use-draft'
import type { FileDraft } from './file-draft'

/** useKnown is what forms are drawn from: the language, and what there is to choose from; or why it cannot be had. */
export function useKnown(): { known?: Omit<Filling, 'draft'>; error: Error | null } {
  const language = useQuery({
    queryKey: ['language'],
    queryFn: () => call<Language>('GET', '/language'),
    staleTime: Infinity,
  })
  const names = useQuery({ queryKey: ['names'], queryFn: () => call<Names>('GET', '/names') })
  const tools = useQuery({ queryKey: ['tools'], queryFn: () => call<{ tools: Tool[] }>('GET', '/tools?limit=5000') })
  const known = useMemo(
    () =>
      language.data && names.data && tools.data
        ? { language: language.data, names: names.data.names, tools: tools.data.tools }
        : undefined,
    [language.data, names.data, tools.data],
  )
  return { known, error: language.error ?? names.error ?? tools.error }
}

/** useFile edits a file as long as what uses it is shown. */
export function useFile(make: () => FileDraft): FileDraft {
  const [file] = useState(make)
  useEffect(() => file.end, [file])
  return file
}

export const useFileState = (file: FileDraft) => useSyncExternalStore(file.subscribe, file.get)
