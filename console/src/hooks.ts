import { useCallback, useEffect, useRef, useState, useSyncExternalStore } from 'react'
import { call, session, type Refusal } from './service.ts'

/** Who is signed in. */
export const useMe = () => useSyncExternalStore(session.watch, session.get)

/** Reads an address, again at an interval if one is given. */
export function useFetch<T>(path: string | undefined, every = 0) {
  const [data, setData] = useState<T>()
  const [error, setError] = useState<Refusal>()
  const seen = useRef(0)
  const load = useCallback(() => {
    if (!path) return
    const turn = ++seen.current
    call<T>(path).then(
      (d) => {
        if (turn !== seen.current) return
        setData(d)
        setError(undefined)
      },
      (e: Refusal) => turn === seen.current && setError(e),
    )
  }, [path])
  useEffect(() => {
    setData(undefined)
    load()
    if (!every) return
    const timer = setInterval(load, every)
    return () => clearInterval(timer)
  }, [load, every])
  return { data, error, reload: load }
}

/** Draws again at an interval, for running clocks. */
export function useTicker(ms: number) {
  const [, turn] = useState(0)
  useEffect(() => {
    const timer = setInterval(() => turn((n) => n + 1), ms)
    return () => clearInterval(timer)
  }, [ms])
}
