/** Picture is a stored picture, small. */
export function Picture({ address, name }: { address: string; name: string }) {
  return <img src={address} alt={name} loading="lazy" className="max-h-32 max-w-60 rounded border border-line" />
}
