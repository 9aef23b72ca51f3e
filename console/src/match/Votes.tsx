import { Box, HStack, Stack, Text } from '@chakra-ui/react'
import type { Copy, Sheet, VoteInfo } from 'turnvex-client'
import { Section } from '../app/Page.tsx'
import { plainName } from '../app/words.ts'
import { Clock } from './Clock.tsx'
import { useKeys } from './connections.ts'
import { nameOf } from './fields.ts'
import type { Source } from './source.ts'

/** A vote under way, and whose turn it is. */
export function Votes({ source }: { source: Source }) {
  useKeys(source, 'lobby', 'match')
  const copy = source.copy
  const lobby = copy?.lobby
  const match = copy?.match
  if (!copy || !lobby) return null
  const vote = lobby.text('vote')
  const open = vote && vote !== 'none'
  const turn = match?.field('turn') ? match.num('turn') : 0
  if (!open && !turn) return null
  const info = copy.book.votes?.find((v) => v.name === vote)
  return (
    <Section title={open ? (info?.title ?? plainName(vote)) : 'Turn'}>
      {turn > 0 && (
        <HStack>
          <Text>{nameOf(copy, turn)} is next</Text>
          {match?.field('turn_left') && <Clock source={source} sheet={match} field="turn_left" fontWeight="semibold" />}
        </HStack>
      )}
      {open && (
        <Stack gap="1" data-test="vote">
          <Text color="fg.muted">
            {lobby.num('vote_by') > 0 && `Asked by ${nameOf(copy, lobby.num('vote_by'))}. `}
            {lobby.num('vote_on') > 0 && `About ${nameOf(copy, lobby.num('vote_on'))}. `}
            Ends in <Clock source={source} sheet={lobby} field="vote_left" />
          </Text>
          {choices(copy, lobby, info).map(([name, votes]) => (
            <HStack key={name} justify="space-between" maxW="320px">
              <Text>{name}</Text>
              <Box fontWeight="semibold">{votes}</Box>
            </HStack>
          ))}
          {lobby.num('vote_needs') > 0 && <Text color="fg.muted">{lobby.num('vote_needs')} are needed</Text>}
        </Stack>
      )}
    </Section>
  )
}

/** What can be voted for, and how many have. */
function choices(copy: Copy, lobby: Sheet, vote?: VoteInfo): [string, number][] {
  const tally = lobby.raw('vote_tally')
  const counts = Array.isArray(tally) ? (tally as number[]) : []
  if (vote?.on === 'words') return (vote.words ?? []).map((w, i) => [plainName(w), counts[i] ?? 0])
  if (vote?.on === 'arenas') return (copy.book.arenas ?? []).map((a, i) => [a.title, counts[i] ?? 0])
  return [
    ['Yes', lobby.num('vote_yes')],
    ['No', lobby.num('vote_no')],
  ]
}
