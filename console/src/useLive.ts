import { useEffect, useState, useSyncExternalStore } from 'react'
import type { Options } from 'turnvex-client'
import { LiveStore, type LiveState } from './live.ts'

const none: LiveState = { state: 'connecting', notices: [] }
const never = () => () => {}
const nothing = () => none

/** Keeps a live connection while the component is there. Undefined options mean none. */
export function useLive(options: Options | undefined) {
  const [store, setStore] = useState<LiveStore>()
  const key = options && JSON.stringify(options)
  useEffect(() => {
    if (!key) return setStore(undefined)
    const s = new LiveStore(JSON.parse(key) as Options)
    setStore(s)
    return () => s.connection.close()
  }, [key])
  const state = useSyncExternalStore(store?.watch ?? never, store?.get ?? nothing)
  return { store, state }
}
