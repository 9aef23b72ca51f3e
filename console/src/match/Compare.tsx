import { Badge, Box, Button, Flex, HStack, NativeSelect, SegmentGroup, Stack, Switch, Text } from '@chakra-ui/react'
import { memo, useEffect, useMemo, useReducer, useState } from 'react'
import { openSocket, type Copy, type Opener, type Rough } from 'turnvex-client'
import { useEvery } from '../app/live.ts'
import { Section } from '../app/Page.tsx'
import { http, session, token } from '../app/session.ts'
import { bytes } from '../app/words.ts'
import './match.css'
import { SetField, Stepping } from './ByHand.tsx'
import { useKeys, useLive } from './connections.ts'
import { label, nameOf, shown } from './fields.ts'
import { Comparison, Recorder, type Fault, type Row } from './frames.ts'
import { OwnCopies } from './OwnCopies.tsx'
import type { LiveSource } from './source.ts'

const groups: Record<string, string[]> = {
  Players: ['player'],
  'Match and teams': ['match', 'team'],
  Lobby: ['lobby'],
  Records: ['record'],
  Others: ['piece', 'creature', 'zone'],
}

/** How many ticks behind the service's the copies are compared. */
const behind = 6
const every = 150

/** The truth beside the copies of two chosen seats, at the same tick, with what differs marked and kept. */
export default function Compare({ source, code }: { source: LiveSource; code: string }) {
  useKeys(source, 'player+')
  const players = source.copy?.of('player') ?? []
  const [chosen, setChosen] = useState<(number | undefined)[]>([undefined, undefined])
  const seats = chosen.map((id, i) => (id && source.copy?.sheet(id) ? id : players[i]?.id))
  const first = useSeat(code, seats[0])
  const second = useSeat(code, seats[1])
  const [group, setGroup] = useState('Players')
  const [only, setOnly] = useState(false)
  const truth = useRecorder(source)
  const a = useRecorder(first.source)
  const b = useRecorder(second.source)
  // biome-ignore lint/correctness/useExhaustiveDependencies: other seats are another comparison
  const comparison = useMemo(() => new Comparison(), [seats[0], seats[1]])
  const [, turn] = useReducer((n: number) => n + 1, 0)
  useEvery(every, turn)
  const copy = source.copy
  const tick = Math.floor(source.tick()) - behind
  const frame = truth?.at(tick)
  if (!copy || !frame) return null
  const all = comparison.rows(copy, frame, [a?.at(tick), b?.at(tick)], groups[group] ?? [], tick)
  const rows = only ? all.filter((r) => r.since.some((s) => s !== undefined)) : all
  const count = all.flatMap((r) => r.since).filter((s) => s !== undefined).length
  return (
    <Section
      title="Side by side"
      flush
      data-test="compare"
      beside={
        <HStack gap="3" wrap="wrap">
          <Badge size="sm" colorPalette={count ? 'red' : 'green'} data-test="differences">
            {count ? `${count} differ` : 'No difference'} at tick {tick}
          </Badge>
          <Switch.Root size="sm" checked={only} onCheckedChange={(d) => setOnly(d.checked)}>
            <Switch.HiddenInput />
            <Switch.Control />
            <Switch.Label>
              <Text fontSize="xs">Differences only</Text>
            </Switch.Label>
          </Switch.Root>
          <SegmentGroup.Root size="xs" value={group} onValueChange={(d) => setGroup(d.value ?? 'Players')}>
            <SegmentGroup.Indicator />
            <SegmentGroup.Items items={Object.keys(groups)} />
          </SegmentGroup.Root>
        </HStack>
      }
    >
      <Flex gap="4" px="4" py="2" borderBottomWidth="1px" wrap="wrap" align="center">
        {[first, second].map((s, i) => (
          <Line
            key={seats[i] ?? `none ${i}`}
            seat={s}
            name={seats[i] ? nameOf(copy, seats[i] as number) : 'no seat'}
            truth={truth}
            held={i ? b : a}
          />
        ))}
        <OwnCopies code={code} copy={copy} />
        {session.can('operator') && (
          <>
            <Stepping
              source={source}
              advance={(ticks) => http.call('POST /v1/lobbies/{code}/advance', { path: { code }, body: { ticks } })}
            />
            <SetField
              source={source}
              set={(sheet, field, value) =>
                http.call('POST /v1/lobbies/{code}/set', { path: { code }, body: { sheet, field, value } })
              }
            />
          </>
        )}
      </Flex>
      <Box maxH="420px" overflow="auto" tabIndex={0} role="group" aria-label="Fields of the truth and of two copies">
        <table className="sheet">
          <thead>
            <tr>
              <th scope="col">Sheet</th>
              <th scope="col">Field</th>
              <th scope="col">Truth</th>
              {[0, 1].map((i) => (
                <th scope="col" key={i}>
                  <SeatChoice
                    copy={copy}
                    seat={seats[i]}
                    onChoose={(id) => setChosen(chosen.map((c, j) => (j === i ? id : c)))}
                  />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, 400).map((r, n) => (
              <FieldLine
                key={r.key}
                sheet={rows[n - 1]?.sheet === r.sheet ? '' : sheetName(copy, r)}
                field={label(r.field)}
                see={r.field.see ?? 'everyone'}
                truth={shown(copy, r.field, r.truth)}
                first={r.held[0] === undefined ? undefined : shown(copy, r.field, r.held[0])}
                second={r.held[1] === undefined ? undefined : shown(copy, r.field, r.held[1])}
                firstSince={r.since[0]}
                secondSince={r.since[1]}
              />
            ))}
          </tbody>
        </table>
      </Box>
      <Faults copy={copy} list={comparison.faults} />
    </Section>
  )
}

/** A row of the comparison; it is drawn again only when something in it has changed. */
const FieldLine = memo(function FieldLine(p: {
  sheet: string
  field: string
  see: string
  truth: string
  first?: string
  second?: string
  firstSince?: number
  secondSince?: number
}) {
  return (
    <tr>
      <td className="quiet">{p.sheet}</td>
      <td title={`seen by ${p.see}`}>{p.field}</td>
      <td title={p.truth}>{p.truth}</td>
      <HeldCell text={p.first} since={p.firstSince} />
      <HeldCell text={p.second} since={p.secondSince} />
    </tr>
  )
})

function HeldCell({ text, since }: { text?: string; since?: number }) {
  if (text === undefined) return <td className="hidden">not visible</td>
  return (
    <td className={since === undefined ? undefined : 'wrong'} title={text}>
      {text}
      {since !== undefined && ` ≠ for ${since} ticks`}
    </td>
  )
}

const sheetName = (copy: Copy, r: Row) =>
  r.kind === 'record'
    ? `Record of ${nameOf(copy, r.owner)}`
    : r.kind === 'match' || r.kind === 'lobby'
      ? r.kind
      : nameOf(copy, r.sheet)

/** A seat's copy as this page holds it, on a connection that can be made bad. */
interface Seat {
  source?: LiveSource
  rough: Rough
  /** Bytes that have come. */
  counted: { bytes: number }
}

function useSeat(code: string, seat: number | undefined): Seat {
  // biome-ignore lint/correctness/useExhaustiveDependencies: each seat has a connection of its own
  const own = useMemo(() => ({ rough: {} as Rough, counted: { bytes: 0 } }), [seat])
  const source = useLive(seat ? `${code} as ${seat} beside` : undefined, () => ({
    address: location.origin,
    tokens: token,
    lobby: code,
    as: seat,
    rough: own.rough,
    open: counting(own.counted),
  }))
  return { source, ...own }
}

/** Sockets that count what comes. */
const counting =
  (into: { bytes: number }): Opener =>
  (address, protocol) => {
    const socket = openSocket(address, protocol) as unknown as WebSocket
    socket.addEventListener('message', (e) => {
      into.bytes += String(e.data).length
    })
    return socket as unknown as ReturnType<Opener>
  }

function useRecorder(source: LiveSource | undefined): Recorder | undefined {
  const [recorder, setRecorder] = useState<Recorder>()
  useEffect(() => {
    if (!source) return setRecorder(undefined)
    const r = new Recorder(source)
    setRecorder(r)
    return () => r.close()
  }, [source])
  return recorder
}

const points = 60

/** How a seat's copy fares: its delay and its bytes as small plots, and buttons that make its connection bad. */
function Line({ seat, name, truth, held }: { seat: Seat; name: string; truth?: Recorder; held?: Recorder }) {
  const { counted } = seat
  const [plots] = useState({ delay: [] as number[], rate: [] as number[], last: 0 })
  useEffect(() => {
    const timer = setInterval(() => {
      const lag = held && truth ? Math.max(performance.now() - held.heard - (performance.now() - truth.heard), 0) : 0
      plots.delay.push(lag)
      plots.rate.push(counted.bytes - plots.last)
      plots.last = counted.bytes
      if (plots.delay.length > points) plots.delay.shift()
      if (plots.rate.length > points) plots.rate.shift()
    }, 500)
    return () => clearInterval(timer)
  }, [counted, plots, held, truth])
  const delay = (ms: number) => {
    seat.rough.delay = ms
  }
  const stall = () => {
    seat.rough.delay = 3000
    setTimeout(() => delay(0), 3000)
  }
  return (
    <HStack gap="2" data-test={`line ${name}`}>
      <Text fontSize="xs" fontWeight="semibold" truncate maxW="120px">
        {name}
      </Text>
      <Spark list={plots.delay} name={`Delay of ${name}`} text={`${Math.round(plots.delay.at(-1) ?? 0)} ms`} />
      <Spark list={plots.rate} name={`Bytes of ${name}`} text={`${bytes((plots.rate.at(-1) ?? 0) * 2)}/s`} />
      <Button
        size="xs"
        variant="ghost"
        onClick={() => delay(seat.rough.delay ? 0 : 1500)}
        aria-pressed={!!seat.rough.delay}
      >
        {seat.rough.delay ? 'No delay' : 'Delay'}
      </Button>
      <Button size="xs" variant="ghost" onClick={stall}>
        Stall
      </Button>
      <Button size="xs" variant="ghost" onClick={() => seat.source?.connection.cut()}>
        Cut
      </Button>
    </HStack>
  )
}

function Spark({ list, name, text }: { list: number[]; name: string; text: string }) {
  const most = Math.max(...list, 1)
  return (
    <HStack gap="1">
      <svg width="60" height="18" role="img" aria-label={`${name}: ${text}`}>
        <polyline
          points={list.map((v, i) => `${i},${17 - (v / most) * 16}`).join(' ')}
          fill="none"
          stroke="var(--chakra-colors-teal-solid)"
          strokeWidth="1.5"
        />
      </svg>
      <Text fontSize="xs" color="fg.muted" w="16">
        {text}
      </Text>
    </HStack>
  )
}

/** The differences that were seen, with when; they stay when they are over. */
function Faults({ copy, list }: { copy: Copy; list: Fault[] }) {
  if (list.length === 0) return null
  return (
    <Stack
      gap="1"
      px="4"
      py="3"
      borderTopWidth="1px"
      maxH="160px"
      overflowY="auto"
      fontSize="xs"
      data-test="faults"
      tabIndex={0}
      role="group"
      aria-label="Differences that were seen"
    >
      {list.slice(0, 30).map((f) => (
        <Text key={`${f.key} ${f.from}`}>
          Tick {f.from} to {f.to ?? 'now'}: {label(f.field)} of {nameOf(copy, f.sheet)} was{' '}
          {shown(copy, f.field, f.held) || 'nothing'} in copy {f.copy + 1}, in truth {shown(copy, f.field, f.truth)}
        </Text>
      ))}
    </Stack>
  )
}

function SeatChoice({ copy, seat, onChoose }: { copy: Copy; seat?: number; onChoose: (id: number) => void }) {
  const players = copy.of('player')
  if (players.length === 0) return <Box as="span">no seat</Box>
  return (
    <NativeSelect.Root size="xs" w="170px">
      <NativeSelect.Field
        aria-label="Seat whose copy is shown"
        value={seat}
        onChange={(e) => onChoose(Number(e.target.value))}
      >
        {players.map((p) => (
          <option key={p.id} value={p.id}>
            {p.text('name')}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
