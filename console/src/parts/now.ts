import { useEffect, useState } from 'react'

/** useNow is the time in milliseconds, kept up while something goes on. */
export function useNow(goesOn: boolean): number {
  const [now, setNow] = useState(Date.now)
  useEffect(() => {
    if (!goesOn) return
    const beat = setInterval(() => setNow(Date.now()), 1000)
    return () => clearInterval(beat)
  }, [goesOn])
  return now
}
