import { Card, EmptyState, Heading, HStack, Link, Stack, Table, Text } from '@chakra-ui/react'
import { NavLink, useSearchParams } from 'react-router'
import { formatClock } from 'turnvex-client'
import { Failed } from '../Frame.tsx'
import { useFetch } from '../hooks.ts'
import { Outcome } from '../parts/State.tsx'
import { since, type MatchRow } from '../service.ts'

/** Ended matches, newest first. */
export function Results() {
  const [params] = useSearchParams()
  const { data, error } = useFetch<{ matches: MatchRow[]; next?: string }>(
    `/v1/matches?limit=20${params.size ? `&${params}` : ''}`,
  )
  return (
    <>
      <Heading size="xl" mb="4">
        Results
      </Heading>
      {error && <Failed text={error.message} />}
      {data?.matches.length === 0 && (
        <EmptyState.Root>
          <EmptyState.Content>
            <EmptyState.Title>No match has ended yet</EmptyState.Title>
          </EmptyState.Content>
        </EmptyState.Root>
      )}
      <Stack gap="4">
        {data?.matches.map((m) => (
          <Result key={m.id} m={m} />
        ))}
      </Stack>
      {data?.next && (
        <Link asChild mt="4" colorPalette="teal">
          <NavLink to={`/results?cursor=${data.next}`}>Older</NavLink>
        </Link>
      )}
    </>
  )
}

function Result({ m }: { m: MatchRow }) {
  const r = m.result
  const teams = (r.teams?.length ?? 0) > 0
  const names = [...new Set(r.players.flatMap((p) => Object.keys(p.fields ?? {})))].sort()
  return (
    <Card.Root overflow="hidden" data-match={m.id}>
      <HStack px="4" py="2.5" bg="bg.muted" gap="4" wrap="wrap">
        <Text fontWeight="semibold">{r.rulebook}</Text>
        <Text color="fg.muted">
          match {r.match} of {m.lobby}
        </Text>
        <Text>{r.because}</Text>
        <Text color="fg.muted">
          {formatClock(r.millis)}
          {r.rounds ? `, ${r.rounds} ${r.rounds === 1 ? 'round' : 'rounds'}` : ''}, ended {since(m.ended)} ago
        </Text>
        {r.teams?.map((t) => (
          <HStack key={t.team} gap="1">
            <Text>
              {t.title}
              {t.rounds ? ` ${t.rounds}` : ''}
            </Text>
            <Outcome outcome={t.outcome} />
          </HStack>
        ))}
      </HStack>
      <Table.Root size="sm">
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader w="16">Place</Table.ColumnHeader>
            <Table.ColumnHeader>Player</Table.ColumnHeader>
            {teams && <Table.ColumnHeader>Team</Table.ColumnHeader>}
            <Table.ColumnHeader>Outcome</Table.ColumnHeader>
            {names.map((n) => (
              <Table.ColumnHeader key={n} textAlign="end">
                {n.replaceAll('_', ' ')}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {[...r.players]
            .sort((a, b) => (a.place || 99) - (b.place || 99))
            .map((p) => (
              <Table.Row key={`${p.player} ${p.name}`}>
                <Table.Cell>{p.place || '–'}</Table.Cell>
                <Table.Cell>{p.name}</Table.Cell>
                {teams && <Table.Cell>{r.teams?.find((t) => t.team === p.team)?.title}</Table.Cell>}
                <Table.Cell>
                  <Outcome outcome={p.outcome} />
                </Table.Cell>
                {names.map((n) => (
                  <Table.Cell key={n} textAlign="end">
                    {r.clocks?.includes(n) ? formatClock(Number(p.fields?.[n] ?? 0)) : String(p.fields?.[n] ?? '')}
                  </Table.Cell>
                ))}
              </Table.Row>
            ))}
        </Table.Body>
      </Table.Root>
    </Card.Root>
  )
}
