/** What a clock [ticks, rate, at] shows at tick `now` of its time, in ticks; never negative. */
export function clockTicks(clock: number[], now: number): number {
  return Math.max((clock[0] ?? 0) + (clock[1] ?? 0) * (now - (clock[2] ?? 0)), 0)
}

/** Writes milliseconds as mm:ss.mmm, with hours in front from one hour on. */
export function formatClock(ms: number): string {
  const t = Math.max(Math.floor(ms), 0)
  const two = (n: number) => String(n).padStart(2, '0')
  const m = Math.floor(t / 60000)
  const rest = `${two(Math.floor(t / 1000) % 60)}.${String(t % 1000).padStart(3, '0')}`
  return m >= 60 ? `${Math.floor(m / 60)}:${two(m % 60)}:${rest}` : `${two(m)}:${rest}`
}
