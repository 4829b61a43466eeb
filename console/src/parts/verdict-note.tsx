/** VerdictNote says what was found, and what to do. */
export function VerdictNote({ fine, words, remedy }: { fine: boolean; words: string; remedy?: string }) {
  return (
    <div
      role="status"
      className={`mt-3 rounded-md border-l-4 bg-raised px-4 py-2.5 ${fine ? 'border-lichen' : 'border-madder'}`}
    >
      <p className="wrap-anywhere">{words}</p>
      {remedy && (
        <p className="mt-0.5 wrap-anywhere">
          <span className="font-semibold">What to do:</span> {remedy}
        </p>
      )}
    </div>
  )
}
