/** Laid is one row of a form: its name, what is filled in, and what it is for. */
export function Laid({ name, help, children }: { name: string; help?: string; children: React.ReactNode }) {
  return (
    <div className="grid gap-x-4 gap-y-0.5 py-1.5 sm:grid-cols-[9.5rem_minmax(0,1fr)]">
      <div className="pt-1 font-semibold">{name}</div>
      <div className="min-w-0">
        {children}
        {help && <p className="mt-0.5 text-[0.84rem] text-quiet">{help}</p>}
      </div>
    </div>
  )
}
