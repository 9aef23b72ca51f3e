// Tall grounds: how high things are, and what is to be seen of one level.
import type { Copy, GroundInfo, Sheet, WallInfo } from 'turnvex-client'

/** The most levels that are offered. */
const mostLevels = 12

/** The heights on which people can stand, from below; none on flat ground. */
export function levelsOf(g: GroundInfo): number[] {
  if (!g.tall) return []
  const flat = (g.walls ?? []).filter((w) => !w.rises && w.high < (g.tall ?? 0)).map((w) => w.high)
  return [...new Set(g.open ? flat : [0, ...flat])].sort((a, b) => a - b).slice(0, mostLevels)
}

/** The walls of a tall ground, the lowest first; those that are below a level come before those that are above it. */
export const fromBelow = (g: GroundInfo, level = 0): WallInfo[] =>
  g.tall ? [...(g.walls ?? [])].sort((a, b) => Number(a.low > level) - Number(b.low > level) || a.high - b.high) : []

/** A height for people. */
export const height = (mm: number) => `${Math.round(mm / 100) / 10} m`

/** Whether a wall is there now. */
export const there = (w: WallInfo, copy: Copy) => !w.while || (copy.match?.flag(w.while) ?? false)

function topOf(w: WallInfo, x: number, y: number): number | undefined {
  if (w.circle) {
    const [cx, cy, r] = w.circle
    return Math.hypot(x - cx, y - cy) <= r ? w.high : undefined
  }
  if (!w.box) return undefined
  const [left, top, right, bottom] = w.box
  if (x < left || x > right || y < top || y > bottom) return undefined
  const parts = {
    east: (x - left) / (right - left),
    west: (right - x) / (right - left),
    south: (y - top) / (bottom - top),
    north: (bottom - y) / (bottom - top),
  }
  return w.low + (w.high - w.low) * (parts[w.rises as keyof typeof parts] ?? 1)
}

/** The highest place to stand at over a point of the map, below the ground's top and what is above a level. */
export function floorAt(g: GroundInfo, copy: Copy, x: number, y: number, level = Number.MAX_VALUE): number {
  let best = 0
  for (const w of g.walls ?? []) {
    const top = there(w, copy) ? topOf(w, x, y) : undefined
    if (top !== undefined && top < (g.tall ?? 0) && w.low <= level + 100) best = Math.max(best, Math.ceil(top))
  }
  return best
}

/** A point of the map with its height, where the ground is tall: on the chosen level, or on the highest floor there. */
export function pointOn(g: GroundInfo, copy: Copy, at: [number, number], level?: number): number[] {
  const flat = [Math.round(at[0]), Math.round(at[1])]
  return g.tall ? [...flat, level ?? floorAt(g, copy, at[0], at[1])] : flat
}

/** Whether a height belongs to a level: it is not below it, and below the next. */
export function on(level: number | undefined, levels: number[], z: number): boolean {
  if (level === undefined) return true
  const next = levels.find((l) => l > level) ?? Number.MAX_VALUE
  return z > level - 600 && z < next - 600
}

/** How high the middle of a body is. */
export function middle(copy: Copy, s: Sheet): number {
  const kinds = { piece: copy.book.pieces, creature: copy.book.creatures } as Record<
    string,
    { name: string; tall?: number }[] | undefined
  >
  const tall = s.kind === 'player' ? copy.book.walk?.tall : kinds[s.kind]?.find((k) => k.name === s.text('kind'))?.tall
  return s.height() + (tall ?? 0) / 2
}
