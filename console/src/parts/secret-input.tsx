interface Shown {
  value: string
  autoFocus?: boolean
  onChange: (secret: string) => void
}

/** SecretInput is where a secret is written; browsers do not keep it. */
export function SecretInput({ value, autoFocus, onChange }: Shown) {
  return (
    <input
      type="password"
      autoComplete="off"
      aria-label="Secret"
      autoFocus={autoFocus}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="w-full min-w-0 flex-1 rounded-md border border-line bg-paper px-2.5 py-1.5"
    />
  )
}
