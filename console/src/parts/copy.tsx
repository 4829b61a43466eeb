import { Check, Copy as Sheets } from 'lucide-react'
import { useState } from 'react'
import { Button } from './states'

/** Copy puts a text on the clipboard, and says that it did. */
export function Copy({ text, what }: { text: string; what: string }) {
  const [copied, setCopied] = useState(false)
  const Shape = copied ? Check : Sheets
  return (
    <Button
      aria-label={`Copy ${what}`}
      onClick={() => void navigator.clipboard.writeText(text).then(() => setCopied(true))}
    >
      <Shape size={15} aria-hidden="true" />
      {copied ? 'Copied' : 'Copy'}
    </Button>
  )
}
