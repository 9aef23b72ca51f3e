import { Badge, Box, Button, HStack, Stack, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { Failed, Section } from '../app/Page.tsx'
import { http } from '../app/session.ts'
import { many, plainName } from '../app/words.ts'
import { shortClock } from '../match/fields.ts'

/** What a rehearsal reports: as turnvex rehearse -json prints it. */
interface Report {
  matches: number
  ended: number
  shortest_ms: number
  median_ms: number
  longest_ms: number
  lengths: { from_ms: number; to_ms: number; count: number }[] | null
  sides: Side[] | null
  seats: Side[] | null
  reasons: { name: string; count: number }[] | null
  unfair: string[] | null
  unused: string[] | null
  endless: number[] | null
  stuck: number[] | null
  faults: string[] | null
}

interface Side {
  name: string
  won: number
  drawn: number
  lost: number
}

/** Plays matches of the text with random players, and shows how long they lasted and who won. */
export function Rehearsal({ text, ready }: { text: string; ready: boolean }) {
  const run = useMutation({
    mutationFn: async () =>
      (await http.call('POST /v1/rulebooks/rehearse', {
        body: text,
        query: { matches: 100 },
        deadline: 30_000,
      })) as unknown as Report,
  })
  const r = run.data
  return (
    <Section
      title="Rehearsal"
      data-test="rehearsal"
      beside={
        <Button size="xs" variant="outline" disabled={!ready} loading={run.isPending} onClick={() => run.mutate()}>
          Rehearse
        </Button>
      }
    >
      {run.error && <Failed error={run.error} />}
      {!r && !run.error && (
        <Text color="fg.muted">Plays up to 100 matches with random players, for at most 8 seconds.</Text>
      )}
      {r && (
        <Stack gap="4">
          <Text>
            {many(r.matches, 'match', 'matches')}, {r.ended} ended. Half of them within {shortClock(r.median_ms)}; the
            longest took {shortClock(r.longest_ms)}.
          </Text>
          <Lengths bars={r.lengths ?? []} />
          <Wins sides={(r.sides ?? []).length ? (r.sides ?? []) : (r.seats ?? [])} matches={r.matches} />
          <Stack gap="1">
            {(r.reasons ?? []).map((x) => (
              <HStack key={x.name} justify="space-between">
                <Text color="fg.muted" truncate>
                  {x.name}
                </Text>
                <Text>{x.count}</Text>
              </HStack>
            ))}
          </Stack>
          <Findings r={r} />
        </Stack>
      )}
    </Section>
  )
}

/** How many matches took how long. */
function Lengths({ bars }: { bars: { from_ms: number; to_ms: number; count: number }[] }) {
  const most = Math.max(...bars.map((b) => b.count), 1)
  if (bars.length === 0) return null
  const said = bars.map((b) => `${b.count} of ${shortClock(b.from_ms)} to ${shortClock(b.to_ms)}`).join(', ')
  return (
    <Box role="img" aria-label={`Lengths of matches: ${said}`}>
      <HStack gap="0.5" h="72px" align="end">
        {bars.map((b) => (
          <Box
            key={b.from_ms}
            flex="1"
            bg="teal.solid"
            title={`${shortClock(b.from_ms)} to ${shortClock(b.to_ms)}: ${b.count}`}
            style={{ height: `${(b.count / most) * 100}%` }}
            minH={b.count ? '2px' : '0'}
          />
        ))}
      </HStack>
      <HStack justify="space-between" fontSize="xs" color="fg.muted">
        <Text>{shortClock(bars[0]?.from_ms ?? 0)}</Text>
        <Text>length</Text>
        <Text>{shortClock(bars.at(-1)?.to_ms ?? 0)}</Text>
      </HStack>
    </Box>
  )
}

/** How often each side won, drew and lost: told apart by place and words, not by colour alone. */
function Wins({ sides, matches }: { sides: Side[]; matches: number }) {
  if (sides.length === 0) return null
  return (
    <Stack gap="1">
      {sides.slice(0, 12).map((s) => (
        <HStack key={s.name} gap="2">
          <Text w="24" truncate fontSize="xs">
            {plainName(s.name)}
          </Text>
          <HStack
            gap="0"
            flex="1"
            h="3"
            bg="bg.emphasized"
            role="img"
            aria-label={`${s.name}: ${s.won} won, ${s.drawn} drawn, ${s.lost} lost`}
          >
            <Box h="full" bg="teal.solid" style={{ width: `${(s.won / Math.max(matches, 1)) * 100}%` }} />
            <Box h="full" bg="gray.solid" style={{ width: `${(s.drawn / Math.max(matches, 1)) * 100}%` }} />
          </HStack>
          <Text fontSize="xs" w="32" textAlign="end" flex="none">
            {s.won} won{s.drawn ? `, ${s.drawn} drawn` : ''}
          </Text>
        </HStack>
      ))}
    </Stack>
  )
}

/** What an author should look at. */
function Findings({ r }: { r: Report }) {
  const found: [string, string[]][] = [
    ['unfair', r.unfair ?? []],
    ['never used', r.unused ?? []],
    ['faults', r.faults ?? []],
    ['no end within ten minutes', (r.endless ?? []).map((n) => `seed ${n}`)],
    ['stuck', (r.stuck ?? []).map((n) => `seed ${n}`)],
  ]
  const some = found.filter(([, list]) => list.length > 0)
  if (some.length === 0) return <Text color="fg.muted">Nothing stands out.</Text>
  return (
    <Stack gap="1">
      {some.map(([what, list]) => (
        <Box key={what}>
          <Badge size="sm" colorPalette="orange">
            {what}
          </Badge>{' '}
          <Text as="span">{list.slice(0, 6).join('; ')}</Text>
        </Box>
      ))}
    </Stack>
  )
}
