import { Box, Button, Flex, Grid, HStack, Input, Link, NativeSelect, Stack, Table, Text } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { NavLink, useParams, useSearchParams } from 'react-router'
import { formatClock, WatchedBoard, type BoardPage } from 'turnvex-client'
import { useCall, useSession } from '../app/calls.ts'
import { Away, Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { session, token } from '../app/session.ts'
import { many, plainName, since } from '../app/words.ts'
import { useSomebody } from './Lobbies.tsx'
import type { Bye } from 'turnvex-client'

/** The leaderboards: all of them by rulebook, and one of them, live. */
export default function Boards() {
  useSomebody()
  const { rulebook, board } = useParams()
  const { data: books, error } = useCall('GET /v1/rulebooks', {})
  const with_ = (books?.rulebooks ?? []).filter((b) => (b.boards ?? []).length > 0)
  const first = with_[0]
  const chosen =
    rulebook && board ? { rulebook, board } : first && { rulebook: first.name, board: first.boards?.[0] ?? '' }
  return (
    <Page title="Boards">
      {error && <Failed error={error} />}
      {books && with_.length === 0 && <Empty title="No rulebook has a leaderboard" />}
      <Grid templateColumns={{ base: 'minmax(0, 1fr)', md: '200px minmax(0, 1fr)' }} gap="4" alignItems="start">
        <Box as="nav" aria-label="Leaderboards">
          <Stack gap="3">
            {with_.map((b) => (
              <Stack key={b.name} gap="0.5">
                <Text fontWeight="semibold">{b.title}</Text>
                {(b.boards ?? []).map((x) => (
                  <Link
                    asChild
                    key={x}
                    px="2"
                    py="1"
                    rounded="sm"
                    color="fg.muted"
                    bg={chosen?.rulebook === b.name && chosen.board === x ? 'bg.muted' : undefined}
                  >
                    <NavLink to={`/boards/${b.name}/${x}`}>{plainName(x)}</NavLink>
                  </Link>
                ))}
              </Stack>
            ))}
          </Stack>
        </Box>
        {chosen && <Board key={`${chosen.rulebook}/${chosen.board}`} {...chosen} />}
      </Grid>
    </Page>
  )
}

/** A part of a board, kept up to date. */
function useBoard(rulebook: string, board: string, season: string, from: number, around: string) {
  const { who } = useSession()
  const [page, setPage] = useState<BoardPage>()
  const [lost, setLost] = useState<Bye>()
  useEffect(() => {
    if (!who) return
    setPage(undefined)
    const feed = new WatchedBoard({
      address: location.origin,
      tokens: token,
      board: { rulebook, board, rows: 25, ...(season && { season }), ...(around ? { around } : { from }) },
      onChange: (p) => {
        setPage(p)
        setLost(undefined)
      },
      onLost: setLost,
    })
    return () => feed.close()
  }, [who, rulebook, board, season, from, around])
  return { page, lost }
}

function Board({ rulebook, board }: { rulebook: string; board: string }) {
  const [params, setParams] = useSearchParams()
  const season = params.get('season') ?? ''
  const from = Number(params.get('from')) || 1
  const around = params.get('around') ?? ''
  const name = params.get('name') ?? ''
  const [wanted, setWanted] = useState(name)
  const { page, lost } = useBoard(rulebook, board, season, from, around)
  const seasons = useCall('GET /v1/boards/{rulebook}/{board}/seasons', { path: { rulebook, board } })
  const go = (q: Record<string, string>) => setParams({ ...(season && { season }), ...q })
  if (lost && !lost.again) return <Failed error={lost.reason} again={() => setParams({})} />
  if (!page) return <Loading />
  const write = (v: number) =>
    page.show === 'clock'
      ? formatClock(v)
      : page.show === 'number'
        ? (v / 1000).toLocaleString('en')
        : v.toLocaleString('en')
  const list = seasons.data?.seasons ?? []
  return (
    <Section
      title={page.title}
      flush
      beside={
        <HStack gap="2">
          <Text fontSize="xs" color="fg.muted">
            {told(page)}
          </Text>
          {list.length > 1 && (
            <NativeSelect.Root size="xs" width="auto">
              <NativeSelect.Field
                aria-label="Season"
                value={page.season.name}
                onChange={(e) => setParams({ season: e.currentTarget.value })}
              >
                {list.map((x) => (
                  <option key={x.name} value={x.name}>
                    {x.name} {x.state === 'open' ? '' : `(${x.state})`}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          )}
        </HStack>
      }
    >
      <Box px="4" py="2" borderBottomWidth="1px">
        <form
          onSubmit={(e) => {
            e.preventDefault()
            const text = wanted.trim()
            go(!text ? {} : isID.test(text) ? { around: text } : { name: text })
          }}
        >
          <Flex gap="2" wrap="wrap">
            <Input
              size="xs"
              w="300px"
              type="search"
              aria-label="Beginning of a name, or a player’s ID"
              placeholder="Beginning of a name, or a player’s ID"
              value={wanted}
              onChange={(e) => setWanted(e.target.value)}
            />
            <Button size="xs" type="submit" variant="outline">
              Search
            </Button>
            <Button size="xs" variant="ghost" disabled={!around && !name && from === 1} onClick={() => go({})}>
              Top
            </Button>
          </Flex>
        </form>
      </Box>
      {name && (
        <Named
          rulebook={rulebook}
          board={board}
          season={season}
          name={name}
          write={write}
          show={(id) => go({ around: id })}
        />
      )}
      <Away lost={lost} />
      {page.rows.length === 0 ? (
        <Empty title="No entries yet" />
      ) : (
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader w="20" ps="4">
                Place
              </Table.ColumnHeader>
              <Table.ColumnHeader>{page.rows[0]?.team ? 'Team' : 'Player'}</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Value</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end" pe="4">
                Reached
              </Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {page.rows.map((r) => (
              <Table.Row key={r.player ?? r.team} bg={around && r.player === around ? 'bg.muted' : undefined}>
                <Table.Cell fontWeight="semibold" ps="4">
                  {r.place}
                </Table.Cell>
                <Table.Cell dir="auto">
                  {r.player && session.can('read') ? (
                    <Link asChild>
                      <NavLink to={`/players/${r.player}`}>{r.name}</NavLink>
                    </Link>
                  ) : (
                    r.name
                  )}
                </Table.Cell>
                <Table.Cell textAlign="end">{write(r.value)}</Table.Cell>
                <Table.Cell textAlign="end" color="fg.muted" pe="4">
                  {since(r.posted)} ago
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
      <HStack px="4" py="2" gap="2" borderTopWidth="1px">
        <Button
          size="xs"
          variant="outline"
          disabled={page.first <= 1}
          onClick={() => go({ from: String(Math.max(page.first - 25, 1)) })}
        >
          Before
        </Button>
        <Button
          size="xs"
          variant="outline"
          disabled={page.first + page.rows.length > page.count}
          onClick={() => go({ from: String(page.first + 25) })}
        >
          After
        </Button>
      </HStack>
    </Section>
  )
}

const isID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i

/** Who is called so, with their places. */
function Named({
  rulebook,
  board,
  season,
  name,
  write,
  show,
}: {
  rulebook: string
  board: string
  season: string
  name: string
  write: (v: number) => string
  show: (id: string) => void
}) {
  const { data, error } = useCall('GET /v1/boards/{rulebook}/{board}', {
    path: { rulebook, board },
    query: { name, limit: 100, ...(season && { season }) },
  })
  const rows = data?.rows ?? []
  return (
    <Box px="4" py="2" borderBottomWidth="1px" data-test="named">
      {error && <Failed error={error} />}
      {data && rows.length === 0 && (
        <Text color="fg.muted">Nobody on this board has a name that begins with this.</Text>
      )}
      {rows.slice(0, 20).map((r) => (
        <HStack key={r.player} gap="3">
          <Text w="14" textAlign="end" fontWeight="semibold">
            {r.place}
          </Text>
          <Button size="xs" variant="ghost" dir="auto" onClick={() => show(r.player ?? '')}>
            {r.name}
          </Button>
          <Text color="fg.muted">{write(r.value)}</Text>
        </HStack>
      ))}
      {rows.length > 20 && (
        <Text fontSize="xs" color="fg.muted">
          and {rows.length - 20} more; write more of the name
        </Text>
      )}
    </Box>
  )
}

/** Says which season a page is of, and how many stand on it. */
function told({ season, count }: BoardPage): string {
  const entries = many(count, 'entry', 'entries')
  if (season.name === 'all') return `Never renewed, ${entries}`
  const end = season.ends && new Date(season.ends).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' })
  return `Season ${season.name}, ${season.state}${end ? `, ${season.state === 'open' ? 'until' : 'ended'} ${end}` : ''}, ${entries}`
}
