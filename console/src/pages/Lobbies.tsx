import { useEffect } from 'react'
import { Badge, Card, EmptyState, Heading, HStack, Link, Table, Text } from '@chakra-ui/react'
import { NavLink } from 'react-router'
import { Failed } from '../Frame.tsx'
import { useFetch, useMe, useTicker } from '../hooks.ts'
import { State } from '../parts/State.tsx'
import { since } from '../service.ts'
import { useListing } from '../useLive.ts'

/** The lobbies that are alive. */
export function Lobbies() {
  const { lobbies: data, lost } = useListing(useMe()?.token)
  const lobbies = [...(data?.values() ?? [])].sort((a, b) => b.opened.localeCompare(a.opened))
  const { data: rest, reload } = useFetch<{ left_out: { why: string; count: number }[] }>('/v1/lobbies?limit=1')
  const listed = lobbies.length
  useEffect(() => {
    if (listed >= 0) reload() // what is left out changes with what is listed
  }, [reload, listed])
  useTicker(1000)
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
      {lost && <Failed text={lost.reason} />}
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
                {['Code', 'Title', 'Rulebook', 'State', 'Seats', 'Free', 'Region', 'Open for'].map((h) => (
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
                    {l.title} {l.practice && <Badge>practice</Badge>}{' '}
                    {!l.open && <Badge colorPalette="red">closed</Badge>}{' '}
                    {l.password && <Badge colorPalette="orange">password</Badge>}{' '}
                    {l.name && <Badge variant="outline">named {l.name}</Badge>}
                  </Table.Cell>
                  <Table.Cell>{l.rulebook}</Table.Cell>
                  <Table.Cell>
                    <State state={l.state} />
                  </Table.Cell>
                  <Table.Cell>
                    {l.seats} of {l.capacity}
                    {!!l.waiting && `, ${l.waiting} in line`}
                  </Table.Cell>
                  <Table.Cell>{l.free}</Table.Cell>
                  <Table.Cell>{l.region}</Table.Cell>
                  <Table.Cell>{since(l.opened)}</Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Card.Root>
      )}
      {!!rest?.left_out.length && (
        <Text mt="3" color="fg.muted" fontSize="sm" data-test="left-out">
          Not in this list: {rest.left_out.map((l) => `${l.count} ${l.why}`).join(', ')}.
        </Text>
      )}
    </>
  )
}
