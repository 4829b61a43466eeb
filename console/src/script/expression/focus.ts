import { createContext, use, useLayoutEffect, useRef, type RefObject } from 'react'

/** Going takes the focus to a part of an expression once it is there; parts are named by their pointers. */
export class Going {
  private to?: string
  private left = false

  /** go sends the focus on its way. */
  go(to: string) {
    this.to = to
    this.left = true
  }

  /** arrives tells whether the focus goes to a part, and has it be there. */
  arrives(at: string): boolean {
    if (this.to !== at) return false
    this.to = undefined
    return true
  }

  /** leaves tells whether the focus was sent on since it was asked last, so that it does not go back. */
  leaves(): boolean {
    const left = this.left
    this.left = false
    return left
  }
}

export const GoingContext = createContext(new Going())

/**
 * useGoing gives what is to be focused when the focus goes to a part; what is written there is selected. It looks in the
 * very commit that shows the part: an effect of the part that was there before, still to run as somebody types on,
 * would take the focus in its place.
 */
export function useGoing<T extends HTMLElement>(at: string): RefObject<T | null> {
  const going = use(GoingContext)
  const ref = useRef<T>(null)
  useLayoutEffect(() => {
    if (!ref.current || !going.arrives(at)) return
    ref.current.focus()
    if (ref.current instanceof HTMLInputElement) ref.current.select()
  })
  return ref
}
