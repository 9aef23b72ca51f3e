import { Card, Grid, HStack, Heading, Spinner, Stack, Text } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { useParams } from 'react-router'
import { Failed } from '../Frame.tsx'
import { useMe, useTicker } from '../hooks.ts'
import { Compare } from '../parts/Compare.tsx'
import { Events } from '../parts/Events.tsx'
import { Ground } from '../parts/Ground.tsx'
import { Header } from '../parts/Header.tsx'
import { Roster } from '../parts/Roster.tsx'
import { signInGuest } from '../service.ts'
import { useLive } from '../useLive.ts'

/** A lobby and its match, live: operators see the truth, guests what everyone sees. */
export function LobbyPage() {
  const { code = '' } = useParams()
  const me = useMe()
  const [problem, setProblem] = useState('')
  useEffect(() => {
    if (!me) signInGuest().catch((e: Error) => setProblem(e.message))
  }, [me])
  const operator = me?.role === 'operator'
  const options = me && {
    address: location.origin,
    token: me.token,
    lobby: code,
    ...(operator ? { all: true } : { watch: true }),
  }
  const { store, state } = useLive(options)
  useTicker(100)
  const { copy } = state
  if (problem) return <Failed text={problem} />
  if (state.state === 'ended') return <Failed text={state.why?.reason ?? 'The connection has ended.'} />
  if (!copy?.lobby || !store) {
    return (
      <HStack>
        <Spinner size="sm" />
        <Text>Waiting for the first copy of {code}…</Text>
      </HStack>
    )
  }
  return (
    <Stack gap="4">
      <Header copy={copy} live={store.connection} away={state.state !== 'open'} />
      <Grid
        templateColumns={copy.book.ground ? { base: '1fr', lg: 'minmax(0, 3fr) minmax(0, 2fr)' } : '1fr'}
        gap="4"
        alignItems="start"
      >
        <Roster copy={copy} live={store.connection} />
        <Stack gap="4">
          <Ground copy={copy} live={store.connection} />
          <Events copy={copy} notices={state.notices} />
        </Stack>
      </Grid>
      {operator ? (
        <Compare truth={copy} code={code} token={me.token} />
      ) : (
        <Card.Root>
          <Card.Body>
            <Heading size="sm">What each seat sees</Heading>
            <Text color="fg.muted">Operators can put the copies of two seats beside the truth here.</Text>
          </Card.Body>
        </Card.Root>
      )}
    </Stack>
  )
}
