// What the comparison computes: for each field the truth and what two copies hold.
import { same, type Copy, type FieldInfo, type Sheet, type Value } from 'turnvex-client'

export interface Line {
  key: string
  sheet: Sheet
  field: FieldInfo
  truth: Value | undefined
  held: (Value | undefined)[] // by copy; undefined where it is not to be seen
}

/** One line for each field of the truth. */
export function lines(truth: Copy, copies: (Copy | undefined)[], kinds: string[]): Line[] {
  const out: Line[] = []
  for (const sheet of [...truth.sheets.values()].sort((a, b) => a.id - b.id)) {
    if (!kinds.includes(sheet.kind)) continue
    for (const field of sheet.fields().sort((a, b) => Number(!a.own) - Number(!b.own) || a.no - b.no)) {
      out.push({
        key: `${sheet.id}/${field.no}`,
        sheet,
        field,
        truth: sheet.values.get(field.no),
        held: copies.map((c) => c?.sheets.get(sheet.id)?.values.get(field.no)),
      })
    }
  }
  return out
}

/**
 * How many milliseconds later than the truth a copy may hold a field: its rate, or how
 * far positions are seen, may say so.
 */
export function lag(copy: Copy, l: Line): number {
  const seen = l.field.name === 'pos' ? (copy.book.ground?.sight?.every ?? 0) : 0
  return (Math.max(l.field.every ?? 0, seen) * 1000) / copy.rate
}

export const differs = (l: Line, i: number) => l.held[i] !== undefined && !same(l.held[i], l.truth)

/** Remembers since when a field differs: two copies on their way are not yet a difference. */
export class Patience {
  private readonly since = new Map<string, number>()

  constructor(private readonly grace: number) {}

  lasting(key: string, differs: boolean, now: number, lag = 0): boolean {
    if (!differs) {
      this.since.delete(key)
      return false
    }
    const first = this.since.get(key) ?? now
    this.since.set(key, first)
    return now - first >= this.grace + lag
  }
}
