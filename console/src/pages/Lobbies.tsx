import { Badge, Card, EmptyState, Heading, HStack, Link, Table, Text } from '@chakra-ui/react'
import { NavLink } from 'react-router'
import { Failed } from '../Frame.tsx'
import { useFetch } from '../hooks.ts'
import { State } from '../parts/State.tsx'
import { since, type LobbyRow } from '../service.ts'

/** The lobbies that are alive. */
export function Lobbies() {
  const { data, error } = useFetch<{ lobbies: LobbyRow[] }>('/v1/lobbies?limit=100', 2000)
  const lobbies = data?.lobbies ?? []
  const playing = lobbies.filter((l) => l.state === 'playing').length
  return (
    <>
      <HStack justify="space-between" mb="4" align="baseline">
        <Heading size="xl">Lobbies</Heading>
        {data && (
          <Text color="fg.muted">
            {lobbies.length} open, {playing} with a match running
          </Text>
        )}
      </HStack>
      {error && <Failed text={error.message} />}
      {data && lobbies.length === 0 && (
        <EmptyState.Root>
          <EmptyState.Content>
            <EmptyState.Title>No lobby is open</EmptyState.Title>
            <EmptyState.Description>Open one with: turnvex open RULEBOOK</EmptyState.Description>
          </EmptyState.Content>
        </EmptyState.Root>
      )}
      {lobbies.length > 0 && (
        <Card.Root overflow="hidden">
          <Table.Root size="md" interactive>
            <Table.Header>
              <Table.Row bg="bg.muted">
                {['Code', 'Title', 'Rulebook', 'State', 'Seats', 'Region', 'Open for'].map((h) => (
                  <Table.ColumnHeader key={h}>{h}</Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {lobbies.map((l) => (
                <Table.Row key={l.code}>
                  <Table.Cell fontFamily="mono" fontWeight="semibold">
                    <Link asChild colorPalette="teal">
                      <NavLink to={`/lobby/${l.code}`}>{l.code}</NavLink>
                    </Link>
                  </Table.Cell>
                  <Table.Cell>
                    {l.title} {l.practice && <Badge>practice</Badge>} {!l.open && <Badge colorPalette="red">closed</Badge>}
                  </Table.Cell>
                  <Table.Cell>{l.rulebook}</Table.Cell>
                  <Table.Cell>
                    <State state={l.state} />
                  </Table.Cell>
                  <Table.Cell>
                    {l.seats} of {l.capacity}
                  </Table.Cell>
                  <Table.Cell>{l.region}</Table.Cell>
                  <Table.Cell>{since(l.opened)}</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Card.Root>
      )}
    </>
  )
}
