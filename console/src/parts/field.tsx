import { useId } from 'react'

/** Field is one line to fill in, below its label. */
export function Field({ label, ...rest }: React.ComponentProps<'input'> & { label: string }) {
  const id = useId()
  return (
    <div className="mt-3">
      <label htmlFor={id} className="block text-[0.93rem] text-quiet">
        {label}
      </label>
      <input id={id} required {...rest} className="mt-0.5 w-full rounded-md border border-line bg-paper px-3 py-1.5" />
    </div>
  )
}
