import { createElement, lazy, type ComponentType } from 'react'

/** A part of the page that could not be loaded: the network failed, or a new release has taken its place. */
export class PartFailed extends Error {}

/** A part of the page that is loaded when it is first shown. One that failed to load is asked for again the next time
 * it is shown. */
export function part<P extends object>(load: () => Promise<{ default: ComponentType<P> }>): ComponentType<P> {
  const ask = () =>
    lazy(() =>
      load().catch((e: Error) => {
        loaded = ask()
        throw new PartFailed(`This part of the page could not be loaded (${e.message}).`)
      }),
    )
  let loaded = ask()
  return (props: P) => createElement(loaded as ComponentType<P>, props)
}
