import { Box, HStack, IconButton, NativeSelect, Switch, Text } from '@chakra-ui/react'
import { useCallback, useEffect, useRef, useState, type PointerEvent } from 'react'
import { LuMaximize, LuZoomIn, LuZoomOut } from 'react-icons/lu'
import { Section } from '../app/Page.tsx'
import { useMode } from '../app/theme.tsx'
import { useFrames, useKeys } from './connections.ts'
import { height as heightOf, levelsOf, pointOn } from './levels.ts'
import { paint, palette, Projection, Trails, type Palette, type View } from './paint.ts'
import { placeOf, type Source } from './source.ts'

/** The ground as a live map, drawn on frames outside of React. */
export function Ground({
  source,
  me,
  target,
  onPick,
  onPoint,
  bare,
  height,
}: {
  source: Source
  /** The seat whose view it is. */
  me?: number
  target?: number
  /** Called with the body that is clicked. */
  onPick?: (id: number) => void
  /** Called with where the pointer is, in millimetres. */
  onPoint?: (at: number[]) => void
  /** Without a frame around it. */
  bare?: boolean
  height?: number
}) {
  useKeys(source, 'lobby+', 'match+', 'match.arena', 'lobby.arena')
  const { mode } = useMode()
  const canvas = useRef<HTMLCanvasElement>(null)
  const colours = useRef<Palette>(undefined)
  const shown = useRef<Projection>(undefined)
  const drag = useRef<{ x: number; y: number; moved: boolean }>(undefined)
  const trails = useRef(new Trails()).current
  const [tracing, setTracing] = useState(false)
  const [level, setLevel] = useState<number>()
  const g = source.copy?.ground
  const view = useRef<View>({ x: 0, y: 0, zoom: 1 })
  const [zoomed, setZoomed] = useState(false)
  const whole = useCallback(() => {
    if (g) view.current = { x: g.width / 2, y: g.height / 2, zoom: 1 }
    setZoomed(false)
  }, [g])
  useEffect(whole, [whole])
  // biome-ignore lint/correctness/useExhaustiveDependencies: the colours are the mode's
  useEffect(() => {
    colours.current = undefined
  }, [mode])
  const draw = useCallback(() => {
    const el = canvas.current
    const c = el?.getContext('2d')
    if (!el || !c || !g) return
    const ratio = devicePixelRatio || 1
    const [w, h] = [el.clientWidth, el.clientHeight]
    if (el.width !== Math.round(w * ratio) || el.height !== Math.round(h * ratio)) {
      el.width = Math.round(w * ratio)
      el.height = Math.round(h * ratio)
    }
    c.setTransform(ratio, 0, 0, ratio, 0, 0)
    colours.current ??= palette(el)
    const p = new Projection(g, view.current, w, h)
    shown.current = p
    paint(c, source, g, p, colours.current, { view: view.current, me, target, trails: tracing, level }, trails)
  }, [source, g, me, target, tracing, trails, level])
  useFrames(draw)
  if (!g) return null
  const zoom = (by: number) => {
    view.current = { ...view.current, zoom: Math.min(Math.max(view.current.zoom * by, 1), 12) }
    if (view.current.zoom === 1) whole()
    else setZoomed(true)
  }
  const place = (e: PointerEvent<HTMLCanvasElement>): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect()
    return shown.current?.from(e.clientX - box.left, e.clientY - box.top) ?? [0, 0]
  }
  const map = (
    <Box position="relative">
      <canvas
        ref={canvas}
        role="img"
        aria-label="Map of the ground; the table of players says the same in words"
        data-test="ground"
        style={{
          display: 'block',
          width: '100%',
          height: height ? `${height}px` : undefined,
          aspectRatio: height ? undefined : `${g.width} / ${g.height}`,
          maxHeight: height ? undefined : '520px',
          touchAction: zoomed ? 'none' : 'auto',
        }}
        onPointerDown={(e) => {
          drag.current = { x: e.clientX, y: e.clientY, moved: false }
        }}
        onPointerMove={(e) => {
          if (source.copy) onPoint?.(pointOn(g, source.copy, place(e), level))
          const d = drag.current
          const p = shown.current
          if (!d || !p || !zoomed) return
          view.current = {
            ...view.current,
            x: view.current.x - (e.clientX - d.x) / p.scale,
            y: view.current.y - (e.clientY - d.y) / p.scale,
          }
          drag.current = { x: e.clientX, y: e.clientY, moved: true }
        }}
        onPointerUp={(e) => {
          const d = drag.current
          drag.current = undefined
          if (d?.moved) return
          const at = place(e)
          const body = nearest(source, at)
          if (body !== undefined) onPick?.(body)
        }}
        onPointerLeave={() => {
          drag.current = undefined
        }}
      />
    </Box>
  )
  const levels = levelsOf(g)
  const choice = levels.length > 1 && (
    <NativeSelect.Root size="xs" width="28" m="1">
      <NativeSelect.Field
        aria-label="Level"
        value={level ?? ''}
        onChange={(e) => setLevel(e.target.value === '' ? undefined : Number(e.target.value))}
      >
        <option value="">All levels</option>
        {levels.map((l) => (
          <option key={l} value={l}>
            {heightOf(l)}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
  if (bare)
    return (
      <>
        {choice}
        {map}
      </>
    )
  return (
    <Section
      title="Map"
      flush
      beside={
        <HStack gap="1">
          {choice}
          <Switch.Root size="sm" checked={tracing} onCheckedChange={(d) => setTracing(d.checked)} me="2">
            <Switch.HiddenInput />
            <Switch.Control />
            <Switch.Label>
              <Text fontSize="xs">Trails</Text>
            </Switch.Label>
          </Switch.Root>
          <IconButton size="xs" variant="ghost" aria-label="Zoom in" onClick={() => zoom(1.5)}>
            <LuZoomIn />
          </IconButton>
          <IconButton size="xs" variant="ghost" aria-label="Zoom out" disabled={!zoomed} onClick={() => zoom(1 / 1.5)}>
            <LuZoomOut />
          </IconButton>
          <IconButton size="xs" variant="ghost" aria-label="Show all of it" disabled={!zoomed} onClick={whole}>
            <LuMaximize />
          </IconButton>
        </HStack>
      }
    >
      {map}
    </Section>
  )
}

/** The body at a place, or close to it. */
function nearest(source: Source, at: [number, number]): number | undefined {
  let best: number | undefined
  let least = 2500
  for (const kind of ['player', 'creature', 'piece'] as const)
    for (const s of source.copy?.of(kind) ?? []) {
      if (!s.pos()) continue
      const [x, y] = placeOf(source, s)
      const far = Math.hypot(x - at[0], y - at[1])
      if (far < least) {
        least = far
        best = s.id
      }
    }
  return best
}
