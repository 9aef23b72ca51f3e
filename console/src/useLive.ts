import { useEffect, useState, useSyncExternalStore } from 'react'
import { Listing, type Bye, type LobbyInfo, type Options } from 'turnvex-client'
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

/** The open lobbies, live. Without a token there are none. */
export function useListing(token: string | undefined) {
  const [lobbies, setLobbies] = useState<ReadonlyMap<string, LobbyInfo>>()
  const [lost, setLost] = useState<Bye>()
  useEffect(() => {
    if (!token) return
    const listing = new Listing({
      address: location.origin,
      token,
      onChange: (all) => {
        setLobbies(all)
        setLost(undefined)
      },
      onLost: setLost,
    })
    return () => listing.close()
  }, [token])
  return { lobbies, lost }
}
