import { type ComponentType, createElement, type ReactNode, useEffect, useState } from 'react'
import { Loading } from './states'

/**
 * later is a part whose code is fetched when it is first shown; meanwhile something else stands there. It is shown as
 * soon as it is there: what a Suspense waits for is held back till 300 ms after its fallback, on every page anew.
 */
export function later<P extends object>(load: () => Promise<ComponentType<P>>, meanwhile: ReactNode = <Loading />) {
  let part: ComponentType<P> | undefined
  return function Later(props: P) {
    const [fetched, tell] = useState<{ failed?: Error }>()
    const there = part
    useEffect(() => {
      if (there) return
      let left = false
      load().then(
        (loaded) => {
          part = loaded
          if (!left) tell({})
        },
        (failed: Error) => left || tell({ failed }),
      )
      return () => {
        left = true
      }
    }, [there])
    if (fetched?.failed) throw fetched.failed // to the boundary around it
    return there ? createElement(there, props) : meanwhile
  }
}
