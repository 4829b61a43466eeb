import { useEffect, useRef } from 'react'

interface Shown {
  value: string
  autoFocus?: boolean
  onChange: (secret: string) => void
}

/**
 * SecretInput is where a secret is written; browsers do not keep it. It holds what is written itself: React would
 * write it into the page as an attribute, where it is saved and copied with it. An empty value empties it.
 */
export function SecretInput({ value, autoFocus, onChange }: Shown) {
  const input = useRef<HTMLInputElement>(null)
  useEffect(() => {
    if (value === '' && input.current) input.current.value = ''
  }, [value])
  return (
    <input
      ref={input}
      type="password"
      autoComplete="off"
      aria-label="Secret"
      autoFocus={autoFocus}
      onChange={(e) => onChange(e.target.value)}
      className="w-full min-w-0 flex-1 rounded-md border border-line bg-paper px-2.5 py-1.5"
    />
  )
}
