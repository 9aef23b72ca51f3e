// Feeds that several parts of the page share: each is open once, and closed when nobody looks any more.
import { useEffect, useMemo, useSyncExternalStore } from 'react'
import { Listing, WatchedTopic, type Bye, type LobbyInfo, type TopicWatch } from 'turnvex-client'
import { session, token } from './session.ts'

export interface Fed<T> {
  data?: T
  /** Why nothing new comes: it comes back by itself if again is set. */
  lost?: Bye
}

/** How often what a feed brings is drawn at most: changes between are taken together. */
const TOGETHER = 150

class Shared<T> {
  private state: Fed<T> = {}
  private coming?: Fed<T>
  private due?: ReturnType<typeof setTimeout>
  private readonly listeners = new Set<() => void>()
  private close?: () => void
  private lingering?: ReturnType<typeof setTimeout>

  constructor(
    private readonly open: (set: (s: Fed<T>) => void) => () => void,
    private readonly forget: () => void,
  ) {}

  get = () => this.state

  watch = (f: () => void) => {
    clearTimeout(this.lingering)
    this.listeners.add(f)
    this.close ??= this.open((s) => {
      this.coming = { ...(this.coming ?? this.state), lost: undefined, ...s }
      if (this.due === undefined) this.show()
    })
    return () => {
      this.listeners.delete(f)
      if (this.listeners.size) return
      this.lingering = setTimeout(() => {
        this.close?.()
        this.close = undefined
        clearTimeout(this.due)
        this.due = this.coming = undefined
        this.state = {}
        this.forget()
      }, LINGER)
    }
  }

  /** Shows what has come, and what comes next a while later. */
  private show() {
    this.due = undefined
    if (!this.coming) return
    this.state = this.coming
    this.coming = undefined
    this.due = setTimeout(() => this.show(), TOGETHER)
    for (const l of this.listeners) l()
  }
}

/** How long a feed stays open for the next page that wants it. */
const LINGER = 3000

const shared = new Map<string, Shared<unknown>>()

function sharedOf<T>(key: string, open: (set: (s: Fed<T>) => void) => () => void): Shared<T> {
  const there = shared.get(key) as Shared<T> | undefined
  if (there) return there
  const s = new Shared(open, () => shared.delete(key))
  shared.set(key, s as Shared<unknown>)
  return s
}

const nothing: Fed<never> = {}
const never = () => () => {}

function useShared<T>(s: Shared<T> | undefined): Fed<T> {
  return useSyncExternalStore(s?.watch ?? never, s?.get ?? (() => nothing as Fed<T>))
}

/** Who the feeds belong to: another one's are others. */
const whose = () => {
  const { who } = session.get()
  return who ? `${who.role} ${who.name} ${who.player ?? ''}` : undefined
}

const address = location.origin

/** A topic of the live socket; nothing for who may not watch it. */
export function useTopic<Row>(topic: TopicWatch | undefined): Fed<readonly Row[]> {
  const me = useSyncExternalStore(session.watch, whose)
  const key = topic && me && JSON.stringify([me, topic])
  const s = useMemo(
    () =>
      key
        ? sharedOf<readonly Row[]>(key, (set) => {
            const feed = new WatchedTopic<Row>({
              address,
              tokens: token,
              topic: (JSON.parse(key) as [string, TopicWatch])[1],
              onChange: (data) => set({ data }),
              onLost: (lost) => set({ lost }),
            })
            return () => feed.close()
          })
        : undefined,
    [key],
  )
  return useShared(s)
}

/** The open lobbies by their codes. */
export function useListing(): Fed<ReadonlyMap<string, LobbyInfo>> {
  const me = useSyncExternalStore(session.watch, whose)
  const s = useMemo(
    () =>
      me
        ? sharedOf<ReadonlyMap<string, LobbyInfo>>(`listing ${me}`, (set) => {
            const feed = new Listing({
              address,
              tokens: token,
              onChange: (data) => set({ data }),
              onLost: (lost) => set({ lost }),
            })
            return () => feed.close()
          })
        : undefined,
    [me],
  )
  return useShared(s)
}

/** Draws again at an interval, for what tells how long ago something was. */
export function useEvery(ms: number, turn: () => void) {
  useEffect(() => {
    const timer = setInterval(turn, ms)
    return () => clearInterval(timer)
  }, [ms, turn])
}
