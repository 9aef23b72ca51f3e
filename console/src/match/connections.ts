// The live connections of the page, by lobby and seat: each is open once, however many views read it.
import { useEffect, useState } from 'react'
import type { Options } from 'turnvex-client'
import { LiveSource, type Source } from './source.ts'

interface Held {
  source: LiveSource
  uses: number
  closing?: ReturnType<typeof setTimeout>
}

const held = new Map<string, Held>()

/** How long a connection stays open for the next view that wants it. */
const LINGER = 1000

function take(key: string, options: Options): LiveSource {
  const h = held.get(key) ?? { source: new LiveSource(options), uses: 0 }
  held.set(key, h)
  clearTimeout(h.closing)
  h.uses++
  return h.source
}

function giveBack(key: string) {
  const h = held.get(key)
  if (!h || --h.uses > 0) return
  h.closing = setTimeout(() => {
    held.delete(key)
    h.source.close()
  }, LINGER)
}

/** A live match, kept while the component is there. The key says whose view of which lobby it is. */
export function useLive(key: string | undefined, options: () => Options): LiveSource | undefined {
  const [source, setSource] = useState<LiveSource>()
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for the options
  useEffect(() => {
    if (!key) return setSource(undefined)
    setSource(take(key, options()))
    return () => giveBack(key)
  }, [key])
  return source
}

/** Draws again when something has changed that one of the keys stands for. */
export function useKeys(source: Source | undefined, ...keys: string[]): number {
  const all = keys.join(' ')
  const [version, setVersion] = useState(0)
  const drawn = source?.changes()
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was drawn when the keys were these
  useEffect(() => {
    if (!source) return
    const told = () => setVersion((n) => n + 1)
    const end = source.watch(all.split(' '), told)
    if (source.changes() !== drawn) told() // something came between drawing and watching
    return end
  }, [source, all])
  return version
}

/** The same, at once, but not again within so many milliseconds. */
export function useSlowKeys(source: Source | undefined, ms: number, ...keys: string[]): number {
  const all = keys.join(' ')
  const [version, setVersion] = useState(0)
  useEffect(() => {
    if (!source) return
    let timer: ReturnType<typeof setTimeout> | undefined
    let last = Number.NEGATIVE_INFINITY
    const end = source.watch(all.split(' '), () => {
      timer ??= setTimeout(
        () => {
          timer = undefined
          last = performance.now()
          setVersion((n) => n + 1)
        },
        Math.max(0, last + ms - performance.now()),
      )
    })
    return () => {
      clearTimeout(timer)
      end()
    }
  }, [source, ms, all])
  return version
}

/** Calls f on every frame while the component is there. */
export function useFrames(f: (now: number) => void) {
  useEffect(() => {
    let frame = requestAnimationFrame(function next(now) {
      f(now)
      frame = requestAnimationFrame(next)
    })
    return () => cancelAnimationFrame(frame)
  }, [f])
}
