import { Button, HStack, Link, SimpleGrid, Text } from '@chakra-ui/react'
import { NavLink } from 'react-router'
import { useCall } from '../app/calls.ts'
import { Command, Empty, Failed, Loading, Page, Section } from '../app/Page.tsx'
import { session } from '../app/session.ts'
import { many, plainName } from '../app/words.ts'

/** The rulebooks that are published here. */
export default function Rulebooks() {
  const { data, error, refetch } = useCall('GET /v1/rulebooks', {})
  const books = data?.rulebooks ?? []
  return (
    <Page
      title="Rulebooks"
      beside={
        session.can('read') && (
          <Button asChild size="sm" variant="outline">
            <NavLink to="/rulebooks/new">New rulebook</NavLink>
          </Button>
        )
      }
    >
      {error && <Failed error={error} again={() => void refetch()} />}
      {!data && !error && <Loading />}
      {data && books.length === 0 && (
        <Empty title="No rulebook is published yet">
          <Command>turnvex new first.yaml</Command>
        </Empty>
      )}
      <SimpleGrid columns={{ base: 1, md: 2, xl: 3 }} gap="4">
        {books.map((b) => (
          <Section
            key={b.name}
            title={b.title}
            beside={
              <Text fontFamily="mono" fontSize="xs" color="fg.muted">
                {b.version}
              </Text>
            }
          >
            <Text color="fg.muted" minH="10">
              {b.about || 'No description.'}
            </Text>
            <Text fontSize="xs" color="fg.muted" mt="2">
              {b.least === b.most ? many(b.most, 'player') : `${b.least} to ${b.most} players`}
              {(b.boards ?? []).length > 0 && ` · boards: ${(b.boards ?? []).map(plainName).join(', ')}`}
            </Text>
            <HStack mt="3" gap="3">
              {session.can('read') && (
                <Link asChild colorPalette="teal">
                  <NavLink to={`/rulebooks/${b.name}`}>Open in the editor</NavLink>
                </Link>
              )}
              <Link asChild colorPalette="teal">
                <NavLink to={`/results?rulebook=${b.name}`}>Results</NavLink>
              </Link>
            </HStack>
          </Section>
        ))}
      </SimpleGrid>
    </Page>
  )
}
