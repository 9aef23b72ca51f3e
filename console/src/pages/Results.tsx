import { Box, Button, Flex, HStack, Input, Link, SimpleGrid, Stack, Table, Text } from '@chakra-ui/react'
import { useEffect, useState, type ReactNode } from 'react'
import { NavLink, useParams, useSearchParams } from 'react-router'
import { formatClock } from 'turnvex-client'
import { useCall, useSession } from '../app/calls.ts'
import { useTopic } from '../app/live.ts'
import { Empty, Failed, Id, Loading, Page, Section } from '../app/Page.tsx'
import type { MatchRow } from '../app/results.ts'
import { session } from '../app/session.ts'
import { many, moment, plainName, since } from '../app/words.ts'
import { Outcome } from '../match/State.tsx'
import { useSomebody } from './Lobbies.tsx'

const filters = ['rulebook', 'player', 'lobby'] as const

/** Ended matches, the newest first; what ends while one looks is offered above. */
export default function Results() {
  useSomebody()
  const { id } = useParams()
  return id ? <Whole key={id} id={id} /> : <Several />
}

/** One result, whole, with the way to its replay. */
function Whole({ id }: { id: string }) {
  const { data, error, refetch } = useCall('GET /v1/matches/{id}', { path: { id } })
  const m = data as MatchRow | undefined
  return (
    <Page title={m ? `${plainName(m.result.rulebook)}, match ${m.result.match} of ${m.lobby}` : 'Result'}>
      {error && <Failed error={error} again={() => void refetch()} />}
      {!m && !error && <Loading />}
      {m && (
        <>
          <SimpleGrid columns={{ base: 2, md: 4 }} gap="4">
            <Fact name="Because">{m.result.because}</Fact>
            <Fact name="Ended">{moment(m.ended)}</Fact>
            <Fact name="Played">
              {formatClock(m.result.millis)}
              {m.result.rounds ? `, ${many(m.result.rounds, 'round')}` : ''}
              {m.result.arena ? `, ${plainName(m.result.arena)}` : ''}
            </Fact>
            <Fact name="Rulebook">
              {m.result.rulebook} {m.result.version && <Id id={m.result.version} />}
            </Fact>
          </SimpleGrid>
          <One m={m} all />
        </>
      )}
    </Page>
  )
}

function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Box minW="0">
      <Text fontSize="xs" color="fg.muted">
        {name}
      </Text>
      <Box fontWeight="semibold">{children}</Box>
    </Box>
  )
}

function Several() {
  const { who } = useSession()
  const [params, setParams] = useSearchParams()
  const query: Record<string, string> = {}
  for (const name of [...filters, 'cursor']) {
    const v = params.get(name)
    if (v) query[name] = v
  }
  const { data, error, refetch } = useCall('GET /v1/matches', { query: { limit: 15, ...query } }, true)
  const live = useTopic<MatchRow>(
    who && !query.cursor && !query.player
      ? { name: 'results', rulebook: query.rulebook, lobby: query.lobby }
      : undefined,
  )
  const matches = (data?.matches ?? []) as MatchRow[]
  const newest = live.data?.[0]?.id
  useEffect(() => {
    if (newest) void refetch()
  }, [newest, refetch])
  return (
    <Page title="Results">
      <Filters key={params.toString()} query={query} set={(q) => setParams(q)} />
      {error && <Failed error={error} again={() => void refetch()} />}
      {!data && !error && <Loading />}
      {data && matches.length === 0 && (
        <Empty title={Object.keys(query).length ? 'No match fits' : 'No match has ended yet'} />
      )}
      <Stack gap="4">
        {matches.map((m) => (
          <One key={m.id} m={m} />
        ))}
      </Stack>
      <HStack gap="4">
        {query.cursor && (
          <Link asChild colorPalette="teal">
            <NavLink to="/results">Newest</NavLink>
          </Link>
        )}
        {data?.next && (
          <Link asChild colorPalette="teal">
            <NavLink to={`/results?${new URLSearchParams({ ...query, cursor: data.next })}`}>Older</NavLink>
          </Link>
        )}
      </HStack>
    </Page>
  )
}

function Filters({ query, set }: { query: Record<string, string>; set: (q: Record<string, string>) => void }) {
  const [now, setNow] = useState(query)
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        set(Object.fromEntries(filters.flatMap((f) => (now[f] ? [[f, now[f]]] : []))))
      }}
    >
      <Flex gap="2" wrap="wrap">
        {filters.map((f) => (
          <Input
            key={f}
            size="sm"
            w={f === 'player' ? '280px' : '140px'}
            placeholder={f === 'player' ? 'Player ID' : f === 'lobby' ? 'Join code' : plainName(f)}
            aria-label={f === 'player' ? 'Player ID' : f === 'lobby' ? 'Join code' : plainName(f)}
            value={now[f] ?? ''}
            onChange={(e) => setNow({ ...now, [f]: e.target.value.trim() })}
          />
        ))}
        <Button size="sm" type="submit" variant="outline">
          Filter
        </Button>
        {Object.keys(query).length > 0 && (
          <Button size="sm" variant="ghost" onClick={() => set({})}>
            Clear
          </Button>
        )}
      </Flex>
    </form>
  )
}

function One({ m, all }: { m: MatchRow; all?: boolean }) {
  const r = m.result
  const teams = (r.teams?.length ?? 0) > 0
  const names = [...new Set(r.players.flatMap((p) => Object.keys(p.fields ?? {})))].sort().slice(0, all ? 40 : 8)
  const title = `${plainName(r.rulebook)}, match ${r.match} of ${m.lobby}`
  return (
    <Section
      title={all ? 'Players' : title}
      flush
      data-test={`match ${m.id}`}
      beside={
        <HStack gap="3" fontSize="xs" color="fg.muted" wrap="wrap">
          <Text>{r.because}</Text>
          <Text>
            {formatClock(r.millis)}
            {r.rounds ? `, ${many(r.rounds, 'round')}` : ''}
            {r.arena ? `, ${plainName(r.arena)}` : ''}
          </Text>
          <Text>ended {since(m.ended)} ago</Text>
          {session.can('read') && (
            <Link asChild colorPalette="teal">
              <NavLink to={`/lobby/${m.lobby}/back?match=${r.match}`}>Look back</NavLink>
            </Link>
          )}
        </HStack>
      }
    >
      {teams && (
        <HStack px="4" py="2" gap="5" borderBottomWidth="1px" wrap="wrap">
          {r.teams?.map((t) => (
            <HStack key={t.team} gap="2">
              <Text>{t.title}</Text>
              {!!t.rounds && <Text fontWeight="semibold">{t.rounds}</Text>}
              <Outcome outcome={t.outcome} />
            </HStack>
          ))}
        </HStack>
      )}
      <Table.ScrollArea tabIndex={0} aria-label={title}>
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader w="14" ps="4">
                Place
              </Table.ColumnHeader>
              <Table.ColumnHeader>Player</Table.ColumnHeader>
              {teams && <Table.ColumnHeader>Team</Table.ColumnHeader>}
              <Table.ColumnHeader>Outcome</Table.ColumnHeader>
              {names.map((n) => (
                <Table.ColumnHeader key={n} textAlign="end" _last={{ pe: '4' }}>
                  {plainName(n)}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {[...r.players]
              .sort((a, b) => (a.place || 99) - (b.place || 99))
              .map((p) => (
                <Table.Row key={`${p.player} ${p.name}`}>
                  <Table.Cell ps="4">{p.place || '–'}</Table.Cell>
                  <Table.Cell>
                    <Box dir="auto">
                      {p.player && session.can('read') ? (
                        <Link asChild>
                          <NavLink to={`/players/${p.player}`}>{p.name}</NavLink>
                        </Link>
                      ) : (
                        p.name
                      )}
                    </Box>
                  </Table.Cell>
                  {teams && <Table.Cell>{r.teams?.find((t) => t.team === p.team)?.title}</Table.Cell>}
                  <Table.Cell>
                    <Outcome outcome={p.outcome} />
                  </Table.Cell>
                  {names.map((n) => (
                    <Table.Cell key={n} textAlign="end" _last={{ pe: '4' }}>
                      {r.clocks?.includes(n) ? formatClock(Number(p.fields?.[n] ?? 0)) : String(p.fields?.[n] ?? '')}
                    </Table.Cell>
                  ))}
                </Table.Row>
              ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
      <HStack px="4" py="1" fontSize="xs" color="fg.muted" borderTopWidth="1px">
        <Link asChild colorPalette="teal">
          <NavLink to={`/results/${m.id}`}>Match</NavLink>
        </Link>
        <Id id={m.id} />
      </HStack>
    </Section>
  )
}
