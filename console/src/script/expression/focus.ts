import { createContext, use } from 'react'

/** Going says to which part of an expression the focus goes once it is there: its pointer. */
export interface Going {
  to: string
}

export const GoingContext = createContext<Going>({ to: '' })

/** useGoing tells whether a part takes the focus as it appears. */
export function useGoing(at: string): boolean {
  return use(GoingContext).to === at && at !== ''
}
