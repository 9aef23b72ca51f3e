import { Card } from '@chakra-ui/react'
import type { Connection, Copy } from 'turnvex-client'
import { useTicker } from '../hooks.ts'
import { teamColours } from '../theme.tsx'
import { teamNo } from './fields.ts'

/** How many ticks behind the service players are drawn, so that there is a later place to move towards. */
const behind = 2

/** The ground with walls, pieces, creatures and players, who move smoothly between ticks. */
export function Ground({ copy, live }: { copy: Copy; live: Connection }) {
  useTicker(40)
  const g = copy.ground
  if (!g) return null
  const m = (mm: number) => mm / 100 // drawn in tenths of a metre: very large font sizes are not drawn
  const r = m(copy.book.radius || 500)
  const [width, height] = [m(g.width), m(g.height)]
  const pieces = copy.book.pieces ?? []
  const creatures = copy.book.creatures ?? []
  const text = height / 22
  return (
    <Card.Root overflow="hidden">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        width="100%"
        style={{ display: 'block', background: 'var(--chakra-colors-bg-muted)' }}
        role="img"
        aria-label="The ground"
      >
        {g.boxes?.map((b) => (
          <rect
            key={b.join()}
            x={m(b[0])}
            y={m(b[1])}
            width={m(b[2] - b[0])}
            height={m(b[3] - b[1])}
            fill="var(--chakra-colors-border-emphasized)"
          />
        ))}
        {g.circles?.map((c) => (
          <circle key={c.join()} cx={m(c[0])} cy={m(c[1])} r={m(c[2])} fill="var(--chakra-colors-border-emphasized)" />
        ))}
        <Zones copy={copy} m={m} text={text} />
        {copy.of('piece').map((p) => {
          const at = p.pos()
          const kind = pieces.find((k) => k.name === p.text('kind'))
          return (
            at && (
              <circle
                key={p.id}
                cx={m(at[0])}
                cy={m(at[1])}
                r={Math.max(m(kind?.radius ?? 500), width / 130)}
                fill="var(--chakra-colors-yellow-solid)"
                opacity="0.85"
              />
            )
          )
        })}
        {copy.of('creature').map((c) => {
          if (!c.pos() || !c.flag('alive')) return null
          const [x, y] = live.place(c, live.exactTick() - behind).map(m) as [number, number]
          const kind = creatures.find((k) => k.name === c.text('kind'))
          const size = Math.max(m(kind?.radius ?? 500), width / 110)
          const side = c.num('team')
          const colour = side ? teamColours[teamNo(copy, side)] : 'red'
          return (
            <path
              key={c.id}
              data-creature={c.id}
              d={`M ${x} ${y - size} L ${x + size} ${y} L ${x} ${y + size} L ${x - size} ${y} Z`}
              fill={`var(--chakra-colors-${colour}-solid)`}
            >
              <title>{kind?.title}</title>
            </path>
          )
        })}
        {copy.of('player').map((p) => {
          if (!p.pos() || !p.flag('playing')) return null
          const at = live.place(p, live.exactTick() - behind)
          const colour = `var(--chakra-colors-${teamColours[teamNo(copy, p.num('team'))]}-solid)`
          const size = Math.max(r, width / 90)
          return (
            <g key={p.id} opacity={p.flag('alive') ? 1 : 0.3} data-player={p.id}>
              <circle cx={m(at[0])} cy={m(at[1])} r={size} fill={colour} />
              <text
                x={within(m(at[0]), width / 18, width)}
                y={within(m(at[1]) - size - text * 0.3, text, height)}
                fontSize={text}
                textAnchor="middle"
                fill="var(--chakra-colors-fg)"
              >
                {p.text('name').split(' ')[0]}
              </text>
            </g>
          )
        })}
      </svg>
    </Card.Root>
  )
}

/** The zones: where they are, whose they are, and how far their taking is. */
function Zones({ copy, m, text }: { copy: Copy; m: (mm: number) => number; text: number }) {
  return copy.of('zone').map((z) => {
    const at = z.pos()
    const size = z.pos('size')
    if (!at || !size) return null
    const holder = z.num('holder')
    const paint = {
      fill: holder ? `var(--chakra-colors-${teamColours[teamNo(copy, holder)]}-solid)` : 'transparent',
      fillOpacity: 0.18,
      stroke: z.flag('contested') ? 'var(--chakra-colors-red-solid)' : 'var(--chakra-colors-fg-muted)',
      strokeWidth: text / 9,
      strokeDasharray: text / 3,
    }
    const [x, y, w, h] = [m(at[0]), m(at[1]), m(size[0]), m(size[1])]
    const title = copy.book.zones?.find((k) => k.name === z.text('kind'))?.title
    const taking = z.num('progress') ? ` ${Math.round(z.num('progress') * 100)} %` : ''
    return (
      <g key={z.id} data-zone={z.id}>
        {h ? (
          <rect x={x - w} y={y - h} width={2 * w} height={2 * h} {...paint} />
        ) : (
          <circle cx={x} cy={y} r={w} {...paint} />
        )}
        <text x={x} y={y + text * 0.3} fontSize={text * 0.8} textAnchor="middle" fill="var(--chakra-colors-fg-muted)">
          {title}
          {taking}
        </text>
      </g>
    )
  })
}

/** Holds a name inside the picture. */
const within = (x: number, edge: number, size: number) => Math.min(Math.max(x, edge), size - edge)
