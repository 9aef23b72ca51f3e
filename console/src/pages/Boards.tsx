import { Card, EmptyState, Grid, Heading, Link, Stack, Table, Text } from '@chakra-ui/react'
import { NavLink, useParams, useSearchParams } from 'react-router'
import { formatClock } from 'turnvex-client'
import { Failed } from '../Frame.tsx'
import { useFetch } from '../hooks.ts'
import { since, type BoardPage, type BookRow } from '../service.ts'

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
  const cursor = params.get('cursor')
  const { data, error } = useFetch<BoardPage>(
    `/v1/boards/${rulebook}/${board}?limit=25${cursor ? `&cursor=${cursor}` : ''}`,
  )
  if (error) return <Failed text={error.message} />
  if (!data) return null
  const write = (v: number) =>
    data.show === 'clock' ? formatClock(v) : data.show === 'number' ? String(v / 1000) : String(v)
  return (
    <Card.Root overflow="hidden" alignSelf="start">
      <Card.Header py="3" bg="bg.muted">
        <Heading size="md">{data.title}</Heading>
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
              <Table.ColumnHeader>Player</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Value</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Posted</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {data.rows.map((r) => (
              <Table.Row key={r.player}>
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
          <NavLink to={`/boards/${rulebook}/${board}?cursor=${data.next}`}>More</NavLink>
        </Link>
      )}
    </Card.Root>
  )
}
