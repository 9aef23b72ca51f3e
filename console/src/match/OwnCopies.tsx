import { Button, Stack, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import type { Copy } from 'turnvex-client'
import { http } from '../app/session.ts'
import { nameOf } from './fields.ts'

/** Asks every client whether the copy that it really holds is what it should be. */
export function OwnCopies({ code, copy }: { code: string; copy: Copy }) {
  const ask = useMutation({ mutationFn: () => http.call('POST /v1/lobbies/{code}/copies', { path: { code } }) })
  const report = ask.data
  const differs = report?.differs ?? []
  return (
    <Stack gap="1">
      <Button size="xs" variant="outline" onClick={() => ask.mutate()} loading={ask.isPending} data-test="ask-copies">
        Ask the clients
      </Button>
      {ask.error && <Text color="fg.error">{ask.error.message}</Text>}
      {report && (
        <Text fontSize="xs" data-test="copies" color={differs.length ? 'fg.error' : 'fg.muted'}>
          {report.answered} of {report.asked} answered:{' '}
          {differs.length ? `${differs.length} fields differ` : 'their copies are right'}
        </Text>
      )}
      {differs.slice(0, 10).map((d) => (
        <Text key={`${d.seat} ${d.sheet} ${d.field}`} fontSize="xs">
          {d.seat ? nameOf(copy, d.seat) : 'A spectator'}: {d.field ?? 'the whole sheet'} of {d.kind} {d.sheet} should
          be {d.want || 'not there'}, is {d.found || 'not there'}
        </Text>
      ))}
    </Stack>
  )
}
