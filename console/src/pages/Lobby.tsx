import { Button, Grid, HStack, Stack, Text } from '@chakra-ui/react'
import { Suspense, useState } from 'react'
import { NavLink, useParams } from 'react-router'
import { useSession } from '../app/calls.ts'
import { part } from '../app/part.tsx'
import { Failed, Loading, Page, useTitle } from '../app/Page.tsx'
import { session, token } from '../app/session.ts'
import { useKeys, useLive } from '../match/connections.ts'
import { Ending } from '../match/Ending.tsx'
import { Events } from '../match/Events.tsx'
import { Ground } from '../match/Ground.tsx'
import { Header } from '../match/Header.tsx'
import { Roster } from '../match/Roster.tsx'
import type { Source } from '../match/source.ts'
import { Votes } from '../match/Votes.tsx'
import { Fields } from '../match/Fields.tsx'
import { Acts } from '../match/Acts.tsx'
import { useSomebody } from './Lobbies.tsx'

const Compare = part(() => import('../match/Compare.tsx'))

/** A lobby and its match, live: operators see the truth, others what everyone sees. */
export default function Lobby() {
  useSomebody()
  const { code = '' } = useParams()
  const { who } = useSession()
  const [side, setSide] = useState(false)
  const all = who?.role === 'operator' && session.can('read')
  const source = useLive(who && `${code} ${who.role} ${who.name} ${all ? 'all' : 'watch'}`, () => ({
    address: location.origin,
    tokens: token,
    lobby: code,
    ...(all ? { all: true } : { watch: true }),
  }))
  useKeys(source, 'state', 'lobby+')
  useTitle(source?.copy?.lobby?.text('title') ?? code)
  const ready = source?.copy?.lobby
  if (source?.state === 'ended')
    return (
      <Page title={code}>
        <Failed error={source.why?.reason ?? 'The connection has ended.'} again={() => location.reload()} />
      </Page>
    )
  if (!source || !ready)
    return (
      <Page title={code}>
        <Loading />
        {source?.state === 'away' && <Text color="fg.muted">The service does not answer. Trying again…</Text>}
      </Page>
    )
  return (
    <Stack gap="4">
      <Header source={source} />
      <HStack gap="2" wrap="wrap">
        {all && (
          <Button
            size="xs"
            variant={side ? 'solid' : 'outline'}
            onClick={() => setSide(!side)}
            data-test="side-by-side"
            aria-pressed={side}
          >
            Side by side
          </Button>
        )}
        {all && (
          <Button asChild size="xs" variant="outline">
            <NavLink to={`/lobby/${code}/back`}>Look back</NavLink>
          </Button>
        )}
        <Button asChild size="xs" variant="outline">
          <NavLink to={`/play/${code}`}>Play here</NavLink>
        </Button>
        {session.can('operator') && <Acts source={source} code={code} />}
      </HStack>
      <Ending source={source} />
      {all && side && (
        <Suspense fallback={<Loading />}>
          <Compare source={source} code={code} />
        </Suspense>
      )}
      <MatchViews source={source} />
      <Fields source={source} />
    </Stack>
  )
}

/** The parts of a match that are the same wherever it comes from. */
export function MatchViews({ source, onJump, me }: { source: Source; onJump?: (tick: number) => void; me?: number }) {
  useKeys(source, 'lobby+', 'match+')
  const ground = source.copy?.match && source.copy.ground // between matches there is nobody on it
  return (
    <Grid
      templateColumns={ground ? { base: 'minmax(0, 1fr)', xl: 'minmax(0, 11fr) minmax(0, 9fr)' } : 'minmax(0, 1fr)'}
      gap="4"
      alignItems="start"
    >
      <Stack gap="4" minW="0">
        <Roster source={source} />
        <Votes source={source} />
        <Events source={source} onJump={onJump} />
      </Stack>
      <Stack gap="4" minW="0">
        {ground && <Ground source={source} me={me} />}
      </Stack>
    </Grid>
  )
}
