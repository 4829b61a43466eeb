import type { Part, Read, Word } from '../api'

/**
 * Sentence writes the words of a line: what a builder chose, what a model
 * reads, and expressions in words, their values as chips. values are what they
 * were in a run.
 */
export function Sentence({ parts, reads, values }: { parts: Part[]; reads?: Read[]; values?: Record<string, string> }) {
  return (
    <>
      {parts.map((p, i) =>
        p.how === 'value' ? (
          <Expression key={i} words={p.words ?? []} reads={reads} values={values} />
        ) : p.how === 'word' ? (
          <span key={i} className="border-b border-indigo/40 font-semibold text-indigo">
            {p.text}
          </span>
        ) : p.how === 'prose' ? (
          <span key={i} className="border-b border-dashed border-weld text-weld">
            {p.text}
          </span>
        ) : (
          <span key={i}>{p.text}</span>
        ),
      )}
    </>
  )
}

/** Expression writes an expression in words. */
function Expression({ words, reads, values }: { words: Word[]; reads?: Read[]; values?: Record<string, string> }) {
  return (
    <>
      {words.map((w, i) =>
        w.how === 'value' ? (
          <Chip key={i} word={w} kind={reads?.find((r) => r.name === w.path?.join('.'))?.kind} values={values} />
        ) : w.how === 'code' ? (
          <code key={i} className="rounded bg-wash px-1 font-mono text-[0.87em] break-words text-indigo">
            {w.text}
          </code>
        ) : w.how === 'literal' ? (
          <span key={i} className="font-semibold text-indigo">
            {w.text}
          </span>
        ) : (
          <span key={i}>{w.text}</span>
        ),
      )}
    </>
  )
}

/** Chip is a value: where it stands and what it is are told on pointing at it. */
function Chip({ word, kind, values }: { word: Word; kind?: string; values?: Record<string, string> }) {
  const name = word.path?.join('.')
  const value = name ? values?.[name] : undefined
  const about = [name, kind && `(${kind})`, value !== undefined && `= ${value}`].filter(Boolean).join(' ')
  return (
    <span
      title={about || undefined}
      className="rounded-full bg-wash box-decoration-clone px-1.5 break-words text-indigo"
    >
      {word.text}
    </span>
  )
}
