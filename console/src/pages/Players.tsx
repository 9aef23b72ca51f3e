import {
  Badge,
  Box,
  Button,
  Grid,
  HStack,
  Input,
  Link,
  NativeSelect,
  SimpleGrid,
  Stack,
  Table,
  Text,
} from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { NavLink, useNavigate, useParams, useSearchParams } from 'react-router'
import { formatClock } from 'turnvex-client'
import { useCall } from '../app/calls.ts'
import { Chart, type Series } from '../app/Chart.tsx'
import { Columns, Empty, Failed, Id, Loading, Page, Section } from '../app/Page.tsx'
import type { MatchRow } from '../app/results.ts'
import { http, session } from '../app/session.ts'
import { count, many, moment, plainName, since } from '../app/words.ts'
import { Act } from '../match/Acts.tsx'
import { Outcome } from '../match/State.tsx'

/** Players: found by the beginning of their names, and one with all that is kept of them. */
export default function Players() {
  const { id } = useParams()
  if (!session.can('read'))
    return (
      <Page title="Players">
        <Failed error="Sign in as an operator to see this page." />
      </Page>
    )
  return id ? <One key={id} id={id} /> : <Find />
}

function Find() {
  const [params, setParams] = useSearchParams()
  const [name, setName] = useState(params.get('name') ?? '')
  const cursor = params.get('cursor') ?? undefined
  const begins = params.get('name')
  const query = begins ? { query: { name: begins, limit: 25, cursor } } : undefined
  const { data, error, refetch } = useCall('GET /v1/players', query, true)
  const players = data?.players ?? []
  return (
    <Page
      title="Players"
      beside={
        <form
          onSubmit={(e) => {
            e.preventDefault()
            setParams(name.trim() ? { name: name.trim() } : {})
          }}
        >
          <HStack gap="2">
            <Input
              size="sm"
              w="240px"
              type="search"
              placeholder="Beginning of a name"
              aria-label="Beginning of a name"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <Button size="sm" type="submit" variant="outline">
              Search
            </Button>
          </HStack>
        </form>
      }
    >
      {error && <Failed error={error} again={() => void refetch()} />}
      <Section title="Found" flush>
        {!begins ? (
          <Empty title="Search for the beginning of a name">You can also find players in results and on boards.</Empty>
        ) : !data ? (
          <Loading />
        ) : players.length === 0 ? (
          <Empty title="No player with this name" />
        ) : (
          <Table.Root size="sm" interactive>
            <Table.Header>
              <Table.Row>
                <Table.ColumnHeader ps="4">Name</Table.ColumnHeader>
                <Table.ColumnHeader>ID</Table.ColumnHeader>
                <Table.ColumnHeader display={{ base: 'none', md: 'table-cell' }}>First seen</Table.ColumnHeader>
                <Table.ColumnHeader>Last seen</Table.ColumnHeader>
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {players.map((p) => (
                <Table.Row key={p.player}>
                  <Table.Cell ps="4" dir="auto">
                    <Link asChild colorPalette="teal">
                      <NavLink to={`/players/${p.player}`}>{p.name}</NavLink>
                    </Link>
                  </Table.Cell>
                  <Table.Cell>
                    <Id id={p.player} />
                  </Table.Cell>
                  <Table.Cell display={{ base: 'none', md: 'table-cell' }}>{since(p.created)} ago</Table.Cell>
                  <Table.Cell>{since(p.seen)} ago</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        )}
      </Section>
      {data?.next && (
        <Link asChild colorPalette="teal">
          <NavLink to={`/players?${new URLSearchParams({ ...(name && { name }), cursor: data.next })}`}>More</NavLink>
        </Link>
      )}
    </Page>
  )
}

const bans = (id: string, texts: boolean) => (why: string, tell?: string) =>
  http.call('PUT /v1/players/{id}/ban', { path: { id }, body: { why, texts, ...(tell && { tell }) } })

function One({ id }: { id: string }) {
  const totals = useCall('GET /v1/players/{id}/totals', { path: { id } })
  const lobbies = useCall('GET /v1/players/{id}/lobbies', { path: { id } })
  const results = useCall('GET /v1/matches', { query: { player: id, limit: 10 } })
  const matches = (results.data?.matches ?? []) as MatchRow[]
  const name = matches.flatMap((m) => m.result.players).find((p) => p.player === id)?.name
  const navigate = useNavigate()
  const problem = totals.error ?? lobbies.error ?? results.error
  const list = totals.data?.totals ?? []
  return (
    <Page
      title={name ?? 'Player'}
      beside={
        <HStack gap="2" wrap="wrap">
          <Id id={id} />
          <Export id={id} />
          {session.can('operator') && (
            <>
              <Act
                name="Ban"
                what="The player can no longer sign in and leaves every lobby."
                tells="What the player reads (may be empty)"
                does={bans(id, false)}
              />
              <Act
                name="Mute"
                what="Others no longer receive what this player writes. They may play on."
                tells="What the player reads (may be empty)"
                does={bans(id, true)}
              />
              <Act
                name="Erase"
                what={`This permanently deletes all data about the player: records, entries on boards, devices. They become
                anonymous in the results of others. This cannot be undone.`}
                does={(why) =>
                  http
                    .call('DELETE /v1/players/{id}', { path: { id }, query: { why } })
                    .then(() => navigate('/players'))
                }
              />
            </>
          )}
        </HStack>
      }
    >
      {problem && <Failed error={problem} />}
      <Grid templateColumns={{ base: 'minmax(0, 1fr)', xl: 'repeat(2, minmax(0, 1fr))' }} gap="4" alignItems="start">
        <Stack gap="4" minW="0">
          <Section title="Matches by rulebook" flush>
            {!totals.data ? (
              <Loading />
            ) : list.length === 0 ? (
              <Empty title="No match has ended with this player" />
            ) : (
              <Table.Root size="sm">
                <Columns
                  names={['Rulebook', 'Matches', 'Won', 'Lost', 'Drawn', 'Left', 'Played']}
                  numbers={['Matches', 'Won', 'Lost', 'Drawn', 'Left', 'Played']}
                />
                <Table.Body>
                  {list.map((t) => (
                    <Table.Row key={t.rulebook}>
                      <Table.Cell ps="4">{t.rulebook}</Table.Cell>
                      {[t.matches, t.won, t.lost, t.drawn, t.left].map((n, i) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: the columns do not move
                        <Table.Cell key={i} textAlign="end">
                          {count(n)}
                        </Table.Cell>
                      ))}
                      <Table.Cell textAlign="end">{formatClock(t.millis).slice(0, 8)}</Table.Cell>
                    </Table.Row>
                  ))}
                </Table.Body>
              </Table.Root>
            )}
          </Section>
          <Scores id={id} rulebooks={list.map((t) => t.rulebook)} />
          <Section title="In lobbies now" flush>
            {(lobbies.data?.lobbies ?? []).length === 0 ? (
              <Empty title="In no lobby" />
            ) : (
              <Stack gap="0" px="4" py="2">
                {(lobbies.data?.lobbies ?? []).map((l) => (
                  <HStack key={l.code} gap="3">
                    <Link asChild colorPalette="teal" fontFamily="mono">
                      <NavLink to={`/lobby/${l.code}`}>{l.code}</NavLink>
                    </Link>
                    <Text>{l.title}</Text>
                    <Badge size="sm">{l.state}</Badge>
                  </HStack>
                ))}
              </Stack>
            )}
          </Section>
          <Section title="Last results" flush>
            {matches.length === 0 ? (
              <Empty title="None" />
            ) : (
              <Stack gap="0" px="4" py="2">
                {matches.map((m) => (
                  <HStack key={m.id} gap="3" py="1">
                    <Link asChild colorPalette="teal" w="24">
                      <NavLink to={`/results/${m.id}`}>{m.result.rulebook}</NavLink>
                    </Link>
                    <Outcome outcome={m.result.players.find((p) => p.player === id)?.outcome ?? ''} />
                    <Text flex="1" color="fg.muted" truncate>
                      {m.result.because}
                    </Text>
                    <Text fontSize="xs" color="fg.muted">
                      {since(m.ended)} ago
                    </Text>
                  </HStack>
                ))}
              </Stack>
            )}
          </Section>
        </Stack>
        <Stack gap="4" minW="0">
          <Record id={id} rulebooks={list.map((t) => t.rulebook)} />
          {session.can('operator') && <Devices id={id} />}
        </Stack>
      </Grid>
    </Page>
  )
}

/** A number of a player's results over time, match by match. */
function Scores({ id, rulebooks }: { id: string; rulebooks: string[] }) {
  const [book, setBook] = useState<string>()
  const [chosen, setChosen] = useState<string>()
  const rulebook = book ?? rulebooks[0]
  const results = useCall('GET /v1/matches', rulebook ? { query: { player: id, rulebook, limit: 100 } } : undefined)
  const matches = useMemo(() => ((results.data?.matches ?? []) as MatchRow[]).toReversed(), [results.data])
  const fields = numbersOf(matches, id)
  const field = chosen && fields.includes(chosen) ? chosen : (fields.find((f) => /points|score/.test(f)) ?? fields[0])
  const clock = matches.some((m) => m.result.clocks?.includes(field ?? ''))
  const points = useMemo(
    () =>
      matches.flatMap((m) => {
        const value = m.result.players.find((p) => p.player === id)?.fields?.[field ?? '']
        return typeof value === 'number' ? [{ at: Date.parse(m.ended), value }] : []
      }),
    [matches, id, field],
  )
  const series = useMemo<Series[]>(() => [['value', plainName(field ?? '')]], [field])
  if (!rulebook) return null
  const write = clock ? formatClock : (n: number) => count(Math.round(n * 100) / 100)
  return (
    <Section
      title="Scores over time"
      data-test="scores"
      beside={
        <HStack gap="2">
          <Pick name="Rulebook" value={rulebook} options={rulebooks} set={setBook} />
          {field && <Pick name="Number" value={field} options={fields} set={setChosen} />}
        </HStack>
      }
    >
      {!results.data ? (
        <Loading />
      ) : points.length < 2 ? (
        <Empty title="A chart needs at least two matches" />
      ) : (
        <>
          <Chart points={points} series={series} write={write} title={plainName(field ?? '')} dots />
          <Text fontSize="xs" color="fg.muted" px="4">
            {many(points.length, 'match', 'matches')}, best {write(Math.max(...points.map((p) => p.value)))}, least{' '}
            {write(Math.min(...points.map((p) => p.value)))}
          </Text>
        </>
      )}
    </Section>
  )
}

/** The numbers that a player's results have. */
function numbersOf(matches: readonly MatchRow[], id: string): string[] {
  const all = matches.flatMap((m) => Object.entries(m.result.players.find((p) => p.player === id)?.fields ?? {}))
  return [...new Set(all.filter(([, v]) => typeof v === 'number').map(([name]) => name))].sort()
}

function Pick({
  name,
  value,
  options,
  set,
}: {
  name: string
  value: string
  options: string[]
  set: (v: string) => void
}) {
  return (
    <NativeSelect.Root size="xs" w="auto">
      <NativeSelect.Field aria-label={name} value={value} onChange={(e) => set(e.currentTarget.value)}>
        {options.map((o) => (
          <option key={o} value={o}>
            {plainName(o)}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}

/** What a player signs in with, and the way back for who has lost it. */
function Devices({ id }: { id: string }) {
  const { data, error, refetch } = useCall('GET /v1/players/{id}/devices', { path: { id } })
  const [code, setCode] = useState('')
  const devices = data?.devices ?? []
  return (
    <Section
      title="Devices"
      flush
      beside={
        <Act
          name="Recovery code"
          what={`Creates a code that lets the player sign in on a new device once, within a day. Their other
          devices are then removed. Give it only to somebody you know to be the player.`}
          does={(why) =>
            http.call('POST /v1/players/{id}/recovery', { path: { id }, query: { why } }).then((r) => setCode(r.code))
          }
        />
      }
    >
      {error && <Failed error={error} />}
      {code && (
        <HStack px="4" py="2" borderBottomWidth="1px">
          <Text>Recovery code, shown only once:</Text>
          <Id id={code} />
        </HStack>
      )}
      {data && devices.length === 0 && <Empty title="No device: the player signs in with a password" />}
      {devices.map((d) => (
        <HStack key={d.id} px="4" py="2" borderBottomWidth="1px" gap="3">
          <Box flex="1" minW="0">
            <Text truncate>{d.name || 'Without a name'}</Text>
            <Text fontSize="xs" color="fg.muted" title={moment(d.made)}>
              since {since(d.made)}, seen {since(d.seen)} ago
            </Text>
          </Box>
          <Act
            name="Remove"
            what={`The player can no longer sign in with this device, and its connections end. The only way to
            sign in cannot be removed.`}
            does={(why) =>
              http
                .call('DELETE /v1/players/{id}/devices/{device}', { path: { id, device: d.id }, query: { why } })
                .then(() => refetch())
            }
          />
        </HStack>
      ))}
    </Section>
  )
}

/** A player's record with its history: who or which match changed what. */
function Record({ id, rulebooks }: { id: string; rulebooks: string[] }) {
  const [chosen, setChosen] = useState<string>()
  const rulebook = chosen ?? rulebooks[0]
  const path = rulebook ? { id, rulebook } : undefined
  const record = useCall('GET /v1/players/{id}/records/{rulebook}', path && { path })
  const history = useCall('GET /v1/players/{id}/records/{rulebook}/history', path && { path, query: { limit: 20 } })
  const queries = useQueryClient()
  if (!rulebook) return <Section title="Record">{<Empty title="No record of this player" />}</Section>
  const fields = Object.entries(record.data?.fields ?? {})
  return (
    <Section
      title="Record"
      flush
      beside={
        <NativeSelect.Root size="xs" w="auto">
          <NativeSelect.Field aria-label="Rulebook" value={rulebook} onChange={(e) => setChosen(e.currentTarget.value)}>
            {rulebooks.map((r) => (
              <option key={r} value={r}>
                {r}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      }
    >
      {record.error && <Failed error={record.error} />}
      {fields.length === 0 ? (
        <Empty title="No record for this rulebook" />
      ) : (
        <SimpleGrid columns={{ base: 2, md: 3 }} gap="3" px="4" py="3">
          {fields.map(([name, value]) => (
            <Box key={name} minW="0">
              <Text fontSize="xs" color="fg.muted" truncate title={name}>
                {plainName(name)}
              </Text>
              <Text fontWeight="semibold" truncate title={String(value)}>
                {typeof value === 'number' ? count(value) : String(value)}
              </Text>
            </Box>
          ))}
        </SimpleGrid>
      )}
      <Box
        borderTopWidth="1px"
        maxH="420px"
        overflowY="auto"
        tabIndex={0}
        role="group"
        aria-label="History of the record"
      >
        {(history.data?.changes ?? []).map((c) => (
          <HStack key={c.revision} px="4" py="2" borderBottomWidth="1px" gap="3" align="start">
            <Box flex="1" minW="0">
              <Text truncate title={JSON.stringify(c.changes)}>
                {changed(c.changes)}
              </Text>
              <Text fontSize="xs" color="fg.muted" truncate title={moment(c.at)}>
                {c.author ? `by ${c.author}: ${c.why ?? ''}` : `match ${c.match ?? '–'} of a lobby`} · {since(c.at)} ago
              </Text>
            </Box>
            {session.can('operator') && (
              <Act
                name="Put back"
                what={`Restores the record to its state right after change ${c.revision}, of ${moment(c.at)}. Later changes stay in the history.`}
                does={(why) =>
                  http
                    .call('POST /v1/players/{id}/records/{rulebook}/put-back', {
                      path: { id, rulebook },
                      body: { lobby: c.lobby, number: c.number, why },
                    })
                    .then(() => queries.invalidateQueries())
                }
              />
            )}
          </HStack>
        ))}
      </Box>
    </Section>
  )
}

/** The changes of one save, in words. */
function changed(changes: unknown): string {
  if (!Array.isArray(changes)) return JSON.stringify(changes)
  const list = changes as { field?: string; does?: string; value?: unknown }[]
  return (
    list
      .filter((c) => c.does !== 'add' || c.value !== 0)
      .map((c) => `${plainName(c.field ?? '?')} ${c.does ?? ''} ${String(c.value ?? '')}`)
      .join(', ') || many(0, 'change')
  )
}

/** Everything that is kept of the player, as a file. */
function Export({ id }: { id: string }) {
  const [problem, setProblem] = useState<Error>()
  const save = async () => {
    try {
      const all = await http.call('GET /v1/players/{id}/export', { path: { id }, deadline: 60_000 })
      const link = document.createElement('a')
      link.href = URL.createObjectURL(new Blob([JSON.stringify(all, null, 2)], { type: 'application/json' }))
      link.download = `player-${id}.json`
      link.click()
      URL.revokeObjectURL(link.href)
    } catch (e) {
      setProblem(e as Error)
    }
  }
  return (
    <>
      {problem && <Text color="fg.error">{problem.message}</Text>}
      <Button size="xs" variant="outline" onClick={() => void save()}>
        Export
      </Button>
    </>
  )
}
