import { Card, EmptyState, Flex, Grid, Heading, Link, NativeSelect, Stack, Table, Text } from '@chakra-ui/react'
import { NavLink, useNavigate, useParams, useSearchParams } from 'react-router'
import { formatClock, type BoardPage, type Season } from 'turnvex-client'
import { Failed } from '../Frame.tsx'
import { useFetch } from '../hooks.ts'
import { since, type BookRow } from '../service.ts'

/** The leaderboards: all of them by rulebook, and one from the top. */
export function Boards() {
  const { rulebook, board } = useParams()
  const { data: books, error } = useFetch<{ rulebooks: BookRow[] }>('/v1/rulebooks')
  const with_ = books?.rulebooks.filter((b) => b.boards.length > 0) ?? []
  const first = with_[0]
  const chosen =
    rulebook && board ? { rulebook, board } : first && { rulebook: first.name, board: first.boards[0] ?? '' }
  return (
    <>
      <Heading size="xl" mb="4">
        Boards
      </Heading>
      {error && <Failed text={error.message} />}
      <Grid templateColumns={{ base: '1fr', md: '220px 1fr' }} gap="5">
        <Stack gap="3">
          {with_.map((b) => (
            <Stack key={b.name} gap="1">
              <Text fontWeight="semibold">{b.title}</Text>
              {b.boards.map((x) => (
                <Link
                  asChild
                  key={x}
                  ps="3"
                  color="fg.muted"
                  fontWeight={chosen?.rulebook === b.name && chosen.board === x ? 'semibold' : undefined}
                >
                  <NavLink to={`/boards/${b.name}/${x}`}>{x.replaceAll('_', ' ')}</NavLink>
                </Link>
              ))}
            </Stack>
          ))}
        </Stack>
        {chosen && <Board key={`${chosen.rulebook}/${chosen.board}`} {...chosen} />}
      </Grid>
    </>
  )
}

function Board({ rulebook, board }: { rulebook: string; board: string }) {
  const [params] = useSearchParams()
  const navigate = useNavigate()
  const query = new URLSearchParams({ limit: '25' })
  for (const name of ['cursor', 'season']) {
    const value = params.get(name)
    if (value) query.set(name, value)
  }
  const { data, error } = useFetch<BoardPage>(`/v1/boards/${rulebook}/${board}?${query}`)
  const { data: seasons } = useFetch<{ seasons: Season[] }>(`/v1/boards/${rulebook}/${board}/seasons`)
  if (error) return <Failed text={error.message} />
  if (!data) return null
  const write = (v: number) =>
    data.show === 'clock' ? formatClock(v) : data.show === 'number' ? String(v / 1000) : String(v)
  return (
    <Card.Root overflow="hidden" alignSelf="start">
      <Card.Header py="3" bg="bg.muted">
        <Flex justify="space-between" align="center" gap="3" wrap="wrap">
          <Stack gap="0">
            <Heading size="md">{data.title}</Heading>
            <Text color="fg.muted" textStyle="sm">
              {told(data)}
            </Text>
          </Stack>
          {seasons && seasons.seasons.length > 1 && (
            <NativeSelect.Root size="sm" width="auto">
              <NativeSelect.Field
                aria-label="Season"
                value={data.season.name}
                onChange={(e) => navigate(`/boards/${rulebook}/${board}?season=${e.currentTarget.value}`)}
              >
                {seasons.seasons.map((x) => (
                  <option key={x.name} value={x.name}>
                    {x.name} {x.state === 'open' ? '' : `(${x.state})`}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          )}
        </Flex>
      </Card.Header>
      {data.rows.length === 0 ? (
        <EmptyState.Root>
          <EmptyState.Content>
            <EmptyState.Title>Nobody stands on it yet</EmptyState.Title>
          </EmptyState.Content>
        </EmptyState.Root>
      ) : (
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader w="20">Place</Table.ColumnHeader>
              <Table.ColumnHeader>{data.rows[0]?.team ? 'Team' : 'Player'}</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Value</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Reached</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {data.rows.map((r) => (
              <Table.Row key={r.player ?? r.team}>
                <Table.Cell fontWeight="semibold">{r.place}</Table.Cell>
                <Table.Cell>{r.name}</Table.Cell>
                <Table.Cell textAlign="end" fontFamily={data.show === 'clock' ? 'mono' : undefined}>
                  {write(r.value)}
                </Table.Cell>
                <Table.Cell textAlign="end" color="fg.muted">
                  {since(r.posted)} ago
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
      {data.next && (
        <Link asChild p="3" colorPalette="teal">
          <NavLink to={`/boards/${rulebook}/${board}?season=${data.season.name}&cursor=${data.next}`}>More</NavLink>
        </Link>
      )}
    </Card.Root>
  )
}

/** Says which season a page is of, and how many stand on it. */
function told({ season, count }: BoardPage): string {
  const entries = `${count} ${count === 1 ? 'entry' : 'entries'}`
  if (season.name === 'all') return `Never renewed, ${entries}`
  const end = season.ends && new Date(season.ends).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' })
  return `Season ${season.name}, ${season.state}${end ? `, ${season.state === 'open' ? 'until' : 'ended'} ${end}` : ''}, ${entries}`
}
