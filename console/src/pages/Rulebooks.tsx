import { Card, Heading, HStack, SimpleGrid, Text } from '@chakra-ui/react'
import { Failed } from '../Frame.tsx'
import { useFetch } from '../hooks.ts'
import type { BookRow } from '../service.ts'

/** The rulebooks that are loaded. */
export function Rulebooks() {
  const { data, error } = useFetch<{ rulebooks: BookRow[] }>('/v1/rulebooks')
  return (
    <>
      <Heading size="xl" mb="4">
        Rulebooks
      </Heading>
      {error && <Failed text={error.message} />}
      <SimpleGrid columns={{ base: 1, md: 2, lg: 3 }} gap="4">
        {data?.rulebooks.map((b) => (
          <Card.Root key={b.name}>
            <Card.Body gap="2">
              <HStack justify="space-between">
                <Heading size="md">{b.title}</Heading>
                <Text fontFamily="mono" fontSize="xs" color="fg.muted">
                  {b.version}
                </Text>
              </HStack>
              <Text color="fg.muted">{b.about}</Text>
              <Text fontSize="sm">
                {b.name} · {b.least} to {b.most} players ·{' '}
                {b.boards.length ? `boards: ${b.boards.join(', ')}` : 'no boards'}
              </Text>
            </Card.Body>
          </Card.Root>
        ))}
      </SimpleGrid>
    </>
  )
}
