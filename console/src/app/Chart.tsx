import 'uplot/dist/uPlot.min.css'
import { Box, HStack, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import { useMode } from './theme.tsx'

/** A column of the points, and what it is called. */
export type Series = [column: string, name: string]

const colours = ['teal', 'orange', 'purple', 'blue', 'red'] as const
const dashes: (number[] | undefined)[] = [undefined, [6, 3], [2, 3], [9, 3, 2, 3], [1, 5]]

/** Lines over time. Each is told from the others by its dashes too. */
export function Chart({
  points,
  series,
  write,
  title,
  height = 130,
  dots = false,
}: {
  points: readonly { at: number; [column: string]: number }[]
  series: Series[]
  write: (n: number) => string
  title: string
  height?: number
  /** Each point is drawn, where there are few. */
  dots?: boolean
}) {
  const place = useRef<HTMLDivElement>(null)
  const plot = useRef<uPlot>(undefined)
  const { mode } = useMode()
  // biome-ignore lint/correctness/useExhaustiveDependencies: made anew for other colours; the data comes below
  useEffect(() => {
    const el = place.current
    if (!el) return
    const style = getComputedStyle(el)
    const colour = (name: string) => style.getPropertyValue(`--chakra-colors-${name}`).trim()
    const axis = {
      stroke: colour('fg-muted'),
      grid: { stroke: colour('border'), width: 1 },
      ticks: { show: false },
      font: '11px "Inter Variable"',
    }
    const made = new uPlot(
      {
        width: el.clientWidth,
        height,
        cursor: { y: false },
        legend: { show: false },
        scales: { y: { range: (_u, _least, most) => [0, Math.max(most * 1.1, 1e-3)] } },
        axes: [
          { ...axis, size: 24, values: (_u, list) => moments(list) },
          { ...axis, size: 58, values: (_u, list) => list.map((v) => write(v)) },
        ],
        series: [
          {},
          ...series.map(([, name], i) => ({
            label: name,
            stroke: colour(`${colours[i] ?? 'gray'}-fg`),
            width: 1.5,
            dash: dashes[i],
            points: { show: dots, size: 5 },
          })),
        ],
      },
      data(points, series),
      el,
    )
    plot.current = made
    const watch = new ResizeObserver(() => made.setSize({ width: el.clientWidth, height }))
    watch.observe(el)
    return () => {
      watch.disconnect()
      made.destroy()
    }
  }, [mode, height])
  useEffect(() => plot.current?.setData(data(points, series)), [points, series])
  const last = points.at(-1)
  const said = series.map(([column, name]) => `${name} ${write(last?.[column] ?? 0)}`).join(', ')
  return (
    <Box px="2" py="2">
      <Box ref={place} role="img" aria-label={`${title}: now ${said}`} />
      <HStack gap="4" px="2" fontSize="xs" color="fg.muted">
        {series.map(([column, name], i) => (
          <HStack key={column} gap="1">
            <svg width="18" height="6" aria-hidden>
              <line
                x1="0"
                x2="18"
                y1="3"
                y2="3"
                stroke={`var(--chakra-colors-${colours[i] ?? 'gray'}-fg)`}
                strokeWidth="2"
                strokeDasharray={dashes[i]?.join(' ')}
              />
            </svg>
            <Text>
              {name} <b>{write(last?.[column] ?? 0)}</b>
            </Text>
          </HStack>
        ))}
      </HStack>
    </Box>
  )
}

/** Moments in seconds as an axis shows them: times of day, or days where they are far apart. */
function moments(list: number[]): string[] {
  const long = (list.at(-1) ?? 0) - (list[0] ?? 0) > 86400
  return list.map((s) =>
    long ? new Date(s * 1000).toLocaleDateString([], { day: 'numeric', month: 'short' }) : clock(s),
  )
}

/** The time of day of a moment in seconds. */
const clock = (s: number) =>
  new Date(s * 1000).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', second: '2-digit', hourCycle: 'h23' })

const data = (points: readonly { at: number; [column: string]: number }[], series: Series[]): uPlot.AlignedData => [
  points.map((p) => p.at / 1000),
  ...series.map(([column]) => points.map((p) => p[column] ?? 0)),
]
