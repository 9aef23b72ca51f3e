import { Badge, Box, Button, Grid, HStack, Link, SimpleGrid, Stack, Text } from '@chakra-ui/react'
import { NavLink } from 'react-router'
import { formatClock, type Answer } from 'turnvex-client'
import { useCall, useSession } from '../app/calls.ts'
import { useListing, useTopic } from '../app/live.ts'
import { Away, Command, Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { session } from '../app/session.ts'
import { count, many, since } from '../app/words.ts'
import type { MatchRow } from '../app/results.ts'
import { LobbyTable, useSomebody } from './Lobbies.tsx'

export type NodeRow = NonNullable<Answer<'GET /v1/nodes'>['nodes']>[number]

/** What one node counted in ten seconds. */
export interface Point {
  at: number
  [name: string]: number
}

/** What runs now, what just happened, and the next thing to do. */
export default function Home() {
  useSomebody()
  const { who } = useSession()
  const listing = useListing()
  const results = useTopic<MatchRow>({ name: 'results' })
  const mayRead = who?.role === 'operator' && session.can('read')
  const nodes = useTopic<NodeRow>(mayRead ? { name: 'nodes' } : undefined)
  const metrics = useTopic<Point>(mayRead ? { name: 'metrics' } : undefined)
  const books = useCall('GET /v1/rulebooks', {})
  const lobbies = [...(listing.data?.values() ?? [])].sort(
    (a, b) => Number(b.state === 'playing') - Number(a.state === 'playing') || b.seats - a.seats,
  )
  const now = metrics.data?.at(-1)
  const empty = books.data && (books.data.rulebooks ?? []).length === 0
  return (
    <Page
      title="Home"
      beside={
        <Next
          books={(books.data?.rulebooks ?? []).length}
          lobbies={listing.data && lobbies.length}
          operator={who?.role === 'operator'}
        />
      }
    >
      <Away lost={listing.lost} />
      {books.error && <Failed error={books.error} again={() => void books.refetch()} />}
      <SimpleGrid columns={{ base: 2, md: 3, xl: 6 }} gap="3">
        <Figure name="Lobbies" value={listing.data && count(lobbies.length)} />
        <Figure
          name="Matches running"
          value={listing.data && count(lobbies.filter((l) => l.state === 'playing').length)}
        />
        <Figure name="Players in seats" value={listing.data && count(lobbies.reduce((n, l) => n + l.seats, 0))} />
        {mayRead && (
          <>
            <Figure
              name="Nodes"
              value={nodes.data && count(nodes.data.filter((n) => n.state !== 'gone').length)}
              note={nodes.data?.find((n) => n.here)?.version}
            />
            <Figure
              name="Turn of a lobby"
              value={now ? `${now.tick_ms} ms` : undefined}
              note="95th percentile"
              wait="after 10 s"
            />
            <Figure
              name="Waits for the database"
              value={now ? `${count(now.ledger ?? 0)} B` : undefined}
              note={now?.ledger_age ? `for ${now.ledger_age} s` : 'in time'}
              wait="after 10 s"
            />
          </>
        )}
      </SimpleGrid>
      {empty && <Begin />}
      <Grid templateColumns={{ base: '1fr', xl: 'minmax(0, 3fr) minmax(0, 2fr)' }} gap="4" alignItems="start">
        <Section
          title="Running now"
          flush
          beside={
            <Link asChild colorPalette="teal" fontSize="xs">
              <NavLink to="/lobbies">All lobbies</NavLink>
            </Link>
          }
        >
          {!listing.data ? (
            <Loading />
          ) : lobbies.length === 0 ? (
            <Empty title="No lobby is open">Open one from “Play here”, or with the command line.</Empty>
          ) : (
            <LobbyTable lobbies={lobbies.slice(0, 8)} />
          )}
        </Section>
        <Section
          title="Just ended"
          flush
          beside={
            <Link asChild colorPalette="teal" fontSize="xs">
              <NavLink to="/results">All results</NavLink>
            </Link>
          }
        >
          {!results.data ? (
            <Loading />
          ) : results.data.length === 0 ? (
            <Empty title="No match has ended yet" />
          ) : (
            <Ended rows={results.data.slice(0, 8)} />
          )}
        </Section>
      </Grid>
    </Page>
  )
}

function Figure({ name, value, note, wait }: { name: string; value?: string; note?: string; wait?: string }) {
  return (
    <Box bg="bg" borderWidth="1px" rounded="md" px="4" py="3" minW="0">
      <Text fontSize="xs" color="fg.muted" truncate>
        {name}
      </Text>
      <Text fontSize="2xl" fontWeight="semibold" lineHeight="1.3">
        {value ?? '–'}
      </Text>
      <Text fontSize="xs" color="fg.muted" minH="4" truncate>
        {value ? note : wait}
      </Text>
    </Box>
  )
}

/** The one next thing that somebody new should do. */
function Next({ books, lobbies, operator }: { books: number; lobbies?: number; operator: boolean }) {
  if (lobbies === undefined) return null
  const [to, text] =
    books === 0
      ? ['/docs/README', 'Begin: write a rulebook']
      : lobbies === 0 || operator
        ? ['/play', 'Play a match here']
        : ['/lobbies', 'Watch a match']
  return (
    <Button asChild size="sm" data-test="next">
      <NavLink to={to}>{text}</NavLink>
    </Button>
  )
}

function Begin() {
  return (
    <Section title="Begin here">
      <Stack gap="3" maxW="640px">
        <Text>This service has no rulebook yet. Write one, try it, and publish it:</Text>
        <Command>turnvex new first.yaml</Command>
        <Command>turnvex check first.yaml</Command>
        <Command>turnvex publish first.yaml -key-file operator.key</Command>
        <Text color="fg.muted">Then open a practice lobby under “Play here”.</Text>
      </Stack>
    </Section>
  )
}

function Ended({ rows }: { rows: readonly MatchRow[] }) {
  return (
    <Stack gap="0" separator={<Box borderTopWidth="1px" />}>
      {rows.map((m) => {
        const teams = m.result.teams ?? []
        const won = teams.length
          ? teams.filter((t) => t.outcome === 'won').map((t) => t.title)
          : m.result.players.filter((p) => p.outcome === 'won').map((p) => p.name)
        return (
          <HStack key={m.id} px="4" py="2" gap="3" data-ended={m.id}>
            <Box flex="1" minW="0">
              <Text truncate dir="auto">
                <Link asChild>
                  <NavLink to={`/results/${m.id}`}>{won.length ? `${won.join(', ')} won` : 'Nobody won'}</NavLink>
                </Link>
                <Text as="span" color="fg.muted">
                  {' '}
                  · {m.result.because}
                </Text>
              </Text>
              <Text fontSize="xs" color="fg.muted" truncate>
                {m.result.rulebook}, {many(m.result.players.length, 'player')},{' '}
                {formatClock(m.result.millis).slice(0, 5)}
              </Text>
            </Box>
            <Badge size="sm" variant="outline" fontFamily="mono">
              {m.lobby}
            </Badge>
            <Text fontSize="xs" color="fg.muted" flex="none">
              {since(m.ended)} ago
            </Text>
          </HStack>
        )
      })}
    </Stack>
  )
}
