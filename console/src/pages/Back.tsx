import { Badge, Box, Button, HStack, IconButton, NativeSelect, Slider, Stack, Table, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { LuChevronLeft, LuChevronRight, LuPause, LuPlay } from 'react-icons/lu'
import { NavLink, useParams, useSearchParams } from 'react-router'
import { CopyButton, Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { http, session } from '../app/session.ts'
import { many } from '../app/words.ts'
import { useFrames, useKeys } from '../match/connections.ts'
import { Ending } from '../match/Ending.tsx'
import { Fields } from '../match/Fields.tsx'
import { nameOf, shortClock } from '../match/fields.ts'
import { Header } from '../match/Header.tsx'
import { record } from '../match/recording.ts'
import type { RecordedSource } from '../match/source.ts'
import { MatchViews } from './Lobby.tsx'

/** A lobby as it was, at any tick that is kept: the same views as of a running one. */
export default function Back() {
  const { code = '' } = useParams()
  const [params, setParams] = useSearchParams()
  const as = Number(params.get('as')) || undefined
  const {
    data: source,
    error,
    refetch,
    isFetching,
  } = useQuery({
    queryKey: ['recording', code, as],
    queryFn: ({ signal }) => record(code, as, signal),
    enabled: session.can('read'),
    staleTime: Number.POSITIVE_INFINITY,
  })
  const start = Number(params.get('at')) || undefined
  const match = Number(params.get('match')) || undefined
  useEffect(() => {
    const at = start ?? (match && source?.starts[match - source.firstMatch])
    if (source && at) source.seek(at)
  }, [source, start, match])
  const choose = (seat: string) => {
    const at = Math.floor(source?.tick() ?? 0)
    setParams({ at: String(at), ...(seat && { as: seat }) }, { replace: true })
  }
  return (
    <Page
      title={`Look back: ${code}`}
      beside={
        <HStack gap="2">
          {source && <Seats source={source} as={as} choose={choose} />}
          <Button size="xs" variant="outline" loading={isFetching} onClick={() => void refetch()}>
            Read again
          </Button>
          <Button asChild size="xs" variant="outline">
            <NavLink to={`/lobby/${code}`}>Live</NavLink>
          </Button>
        </HStack>
      }
    >
      {!session.can('read') && (
        <Failed error="Sign in as an operator to look back, because it shows what players cannot see." />
      )}
      {error && <Failed error={error} again={() => void refetch()} />}
      {!source && isFetching && <Loading lines={6} />}
      {source && source.last > source.first ? (
        <Recording key={as ?? 0} source={source} code={code} as={as} />
      ) : (
        source && <Empty title="Nothing of this lobby has been recorded yet" />
      )}
    </Page>
  )
}

function Seats({ source, as, choose }: { source: RecordedSource; as?: number; choose: (seat: string) => void }) {
  useKeys(source, 'player+')
  const copy = source.copy
  return (
    <NativeSelect.Root size="xs" w="190px">
      <NativeSelect.Field aria-label="Whose view" value={as ?? ''} onChange={(e) => choose(e.currentTarget.value)}>
        <option value="">The truth</option>
        {as && !copy?.sheet(as) && <option value={as}>Seat {as}</option>}
        {(copy?.of('player') ?? []).map((p) => (
          <option key={p.id} value={p.id}>
            What {p.text('name')} was sent
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}

function Recording({ source, code, as }: { source: RecordedSource; code: string; as?: number }) {
  useKeys(source, 'lobby+', 'match+')
  const jump = useCallback((tick: number) => source.seek(tick), [source])
  return (
    <Stack gap="4">
      {as && <Held source={source} code={code} seat={as} />}
      <Scrubber source={source} code={code} as={as} />
      <Header source={source} />
      <Ending source={source} />
      <MatchViews source={source} onJump={jump} me={as} />
      {!as && <Inputs source={source} />}
      <Fields source={source} />
    </Stack>
  )
}

/** What is known of what the client of a seat really held: the hashes that it told. */
function Held({ source, code, seat }: { source: RecordedSource; code: string; seat: number }) {
  const { data } = useQuery({
    queryKey: ['checked', code],
    queryFn: ({ signal }) => http.call('GET /v1/lobbies/{code}/copies', { path: { code }, signal }),
    retry: false,
  })
  useKeys(source, 'tick')
  const own = (data?.checked ?? []).filter((c) => c.seat === seat && c.tick >= source.first && c.tick <= source.last)
  const now = Math.floor(source.tick())
  const [before, after] = around(own, now)
  const ago = (n: number) => `${shortClock((n * 1000) / source.rate)} s`
  const at = (tick: number) => `${((tick - source.first) / Math.max(source.last - source.first, 1)) * 100}%`
  return (
    <Section title="What its client held" data-test="held">
      <Text fontSize="xs" color="fg.muted">
        You see what this seat was sent.{' '}
        {own.length === 0
          ? 'What its client really held is not known: it was not asked for its copy, or the answers are gone.'
          : `Its client reported the hash of its copy ${many(own.length, 'time')}.`}
      </Text>
      {own.length > 0 && (
        <>
          <Box position="relative" h="3" my="1" bg="bg.muted" rounded="sm" aria-hidden>
            {own.map((c) => (
              <Box
                key={c.tick}
                position="absolute"
                insetStart={at(c.tick)}
                top={c.same ? '1' : '0'}
                bottom="0"
                w="2px"
                bg={c.same ? 'green.solid' : 'red.solid'}
              />
            ))}
          </Box>
          <HStack gap="3" wrap="wrap" fontSize="xs">
            {before && (
              <Text color={before.same ? 'fg' : 'fg.error'}>
                {before.same ? '✓ right' : `✕ ${many(before.differs?.length ?? 0, 'field')} differed`}{' '}
                {before.tick === now ? 'at this very tick' : `${ago(now - before.tick)} before`}
              </Text>
            )}
            {after && (
              <Text color={after.same ? 'fg' : 'fg.error'}>
                {after.same ? '✓ right' : `✕ ${many(after.differs?.length ?? 0, 'field')} differed`}{' '}
                {ago(after.tick - now)} after
              </Text>
            )}
            {before && (
              <Button size="xs" variant="ghost" onClick={() => source.seek(before.tick)}>
                Go to the check before
              </Button>
            )}
            {after && (
              <Button size="xs" variant="ghost" onClick={() => source.seek(after.tick)}>
                Go to the next check
              </Button>
            )}
          </HStack>
          {before && !before.same && (
            <Text fontSize="xs" color="fg.error">
              {(before.differs ?? [])
                .slice(0, 5)
                .map((d) => `${d.kind} ${d.field ?? ''}: should be ${d.want || 'absent'}, was ${d.found || 'absent'}`)
                .join('; ')}
            </Text>
          )}
        </>
      )}
    </Section>
  )
}

/** The last check at or before a tick, and the first after it. */
function around<T extends { tick: number }>(list: readonly T[], tick: number): [T | undefined, T | undefined] {
  return [list.findLast((c) => c.tick <= tick), list.find((c) => c.tick > tick)]
}

/** Time, as a line that one moves along. */
function Scrubber({ source, code, as }: { source: RecordedSource; code: string; as?: number }) {
  const [playing, setPlaying] = useState(false)
  const [speed, setSpeed] = useState(1)
  const [tick, setTick] = useState(Math.floor(source.tick()))
  const last = useRef(0)
  const at = useRef<HTMLParagraphElement>(null)
  const starts = useMemo(() => matchStarts(source), [source])
  useEffect(() => source.watch(['tick'], () => setTick(Math.floor(source.tick()))), [source])
  useFrames(
    useCallback(
      (now: number) => {
        const passed = Math.min(now - last.current, 200)
        last.current = now
        if (!playing) return
        source.seek(source.tick() + (passed / 1000) * source.rate * speed)
        if (source.tick() >= source.last) setPlaying(false)
      },
      [playing, source, speed],
    ),
  )
  const clock = (t: number) => shortClock((t * 1000) / source.rate)
  const link = `${location.origin}/lobby/${code}/back?at=${tick}${as ? `&as=${as}` : ''}`
  return (
    <Section
      title="Time"
      data-test="scrubber"
      beside={
        <HStack gap="2" wrap="wrap">
          <NativeSelect.Root size="xs" w="20">
            <NativeSelect.Field
              aria-label="Speed"
              value={speed}
              onChange={(e) => setSpeed(Number(e.currentTarget.value))}
            >
              {[0.25, 0.5, 1, 2, 4, 16].map((s) => (
                <option key={s} value={s}>
                  {s}×
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Text fontSize="xs" color="fg.muted">
            Link to this moment
          </Text>
          <CopyButton text={link} label="Copy a link to this moment" />
        </HStack>
      }
    >
      <HStack gap="3">
        <IconButton
          size="sm"
          variant="outline"
          aria-label={playing ? 'Pause' : 'Play'}
          onClick={() => setPlaying(!playing)}
        >
          {playing ? <LuPause /> : <LuPlay />}
        </IconButton>
        <IconButton
          size="sm"
          variant="ghost"
          aria-label="One tick back"
          onClick={() => source.seek(Math.ceil(source.tick()) - 1)}
        >
          <LuChevronLeft />
        </IconButton>
        <IconButton
          size="sm"
          variant="ghost"
          aria-label="One tick on"
          onClick={() => source.seek(Math.floor(source.tick()) + 1)}
        >
          <LuChevronRight />
        </IconButton>
        <Slider.Root
          flex="1"
          size="sm"
          aria-label={['Tick']}
          min={Math.floor(source.first)}
          max={Math.floor(source.last)}
          value={[tick]}
          onValueChange={(d) => source.seek(d.value[0] ?? source.first)}
        >
          <Slider.Control>
            <Slider.Track>
              <Slider.Range />
            </Slider.Track>
            <Slider.Thumbs />
          </Slider.Control>
        </Slider.Root>
        <Text ref={at} w="36" textAlign="end" fontSize="xs" data-test="at">
          {clock(tick)} · tick {tick}
        </Text>
      </HStack>
      <HStack gap="2" mt="2" wrap="wrap">
        {starts.slice(-12).map((s) => (
          <Button key={s.tick} size="xs" variant="ghost" onClick={() => source.seek(s.tick)}>
            Match {s.number}
          </Button>
        ))}
        {source.gaps.map(([a, b]) => (
          <Badge key={a} size="sm" colorPalette="orange">
            ticks {a} to {b} are missing: the database was unavailable
          </Badge>
        ))}
      </HStack>
    </Section>
  )
}

/** Where matches begin, from what changes in the recording. */
function matchStarts(source: RecordedSource): { tick: number; number: number }[] {
  return source.starts.map((tick, i) => ({ tick, number: source.firstMatch + i }))
}

/** What the lobby took in about now. */
function Inputs({ source }: { source: RecordedSource }) {
  const [open, setOpen] = useState(false)
  useKeys(source, open ? 'tick' : 'none')
  const now = source.tick()
  const near = open ? source.inputs.filter((i) => i.kind !== 'ping' && Math.abs(i.tick - now) <= source.rate * 2) : []
  return (
    <Section
      title="Inputs"
      flush
      beside={
        <HStack gap="3">
          <Text fontSize="xs" color="fg.muted">
            {many(source.inputs.length, 'input')} in all
          </Text>
          <Button size="xs" variant="ghost" onClick={() => setOpen(!open)} aria-expanded={open}>
            {open ? 'Hide' : 'Show'}
          </Button>
        </HStack>
      }
    >
      {open && (
        <Box maxH="260px" overflowY="auto" tabIndex={0} role="group" aria-label="Inputs within two seconds">
          {near.length === 0 ? (
            <Empty title="No inputs within two seconds" />
          ) : (
            <Table.Root size="sm">
              <Table.Body>
                {near.map((i, n) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: several may be of one tick
                  <Table.Row key={`${i.tick} ${n}`} bg={Math.floor(now) === i.tick ? 'bg.muted' : undefined}>
                    <Table.Cell ps="4" color="fg.muted">
                      {i.tick}
                    </Table.Cell>
                    <Table.Cell>{i.seat && source.copy ? nameOf(source.copy, i.seat) : '–'}</Table.Cell>
                    <Table.Cell>{[i.do ?? i.kind, i.name].filter(Boolean).join(' ')}</Table.Cell>
                    <Table.Cell>
                      {i.target && source.copy ? nameOf(source.copy, i.target) : (i.at?.join(', ') ?? '')}
                    </Table.Cell>
                    <Table.Cell color={i.code ? 'fg.error' : 'fg.muted'}>{i.code ?? 'done'}</Table.Cell>
                  </Table.Row>
                ))}
              </Table.Body>
            </Table.Root>
          )}
        </Box>
      )}
    </Section>
  )
}
