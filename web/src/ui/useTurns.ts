import { useCallback, useRef } from "react"

/** Work done one after the other: what is asked while the last is still under way begins when that has ended, well or not. */
export function useTurns() {
  const turn = useRef<Promise<unknown>>(Promise.resolve())
  return useCallback(<T>(work: () => Promise<T>): Promise<T> => {
    const done = turn.current.then(work)
    turn.current = done.catch(() => undefined)
    return done
  }, [])
}
