// The TypeScript client of a Turnvex service: no framework, for browsers and Node.
export { Connection, type Options, type State } from './connection.ts'
export { Copy, Schema, Sheet, plain, same, type Change } from './copy.ts'
export { clockTicks, formatClock } from './clock.ts'
export * from './wire.ts'
export * from './listing.ts'
