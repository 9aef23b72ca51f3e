// How numbers and moments are written.

/** How long ago something was, in words. */
export function since(iso: string | number, now = Date.now()): string {
  const s = Math.max(Math.floor((now - (typeof iso === 'number' ? iso : Date.parse(iso))) / 1000), 0)
  if (s < 60) return `${s} s`
  if (s < 3600) return `${Math.floor(s / 60)} min`
  if (s < 172800) return `${Math.floor(s / 3600)} h`
  return `${Math.floor(s / 86400)} days`
}

export const many = (n: number, one: string, more = `${one}s`) => `${count(n)} ${n === 1 ? one : more}`

export const count = (n: number) => n.toLocaleString('en')

export const bytes = (n: number) =>
  n < 1000 ? `${Math.round(n)} B` : n < 1e6 ? `${(n / 1e3).toFixed(1)} kB` : `${(n / 1e6).toFixed(1)} MB`

/** A name that nobody declared for people, as they read it. */
export const plainName = (name: string) => {
  const words = name.replaceAll('_', ' ')
  return words.charAt(0).toUpperCase() + words.slice(1)
}

export const moment = (iso: string) => new Date(iso).toLocaleString([], { dateStyle: 'medium', timeStyle: 'medium' })
