import { Alert, Box, Button, Container, Flex, HStack, IconButton, Link, Text } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { LuMoon, LuSun } from 'react-icons/lu'
import { NavLink, Outlet } from 'react-router'
import { useMe } from './hooks.ts'
import { session, signInFromAddress } from './service.ts'
import { SignIn } from './SignIn.tsx'
import { useMode } from './theme.tsx'

const pages = [
  ['/', 'Lobbies'],
  ['/results', 'Results'],
  ['/boards', 'Boards'],
  ['/rulebooks', 'Rulebooks'],
] as const

/** What stands around every page: navigation, who is signed in, colour mode. */
export function Frame() {
  const me = useMe()
  const { mode, flip } = useMode()
  const [problem, setProblem] = useState('')
  const [ready, setReady] = useState(false)
  useEffect(() => {
    signInFromAddress()
      .catch((e: Error) => setProblem(e.message))
      .finally(() => setReady(true))
  }, [])
  return (
    <Box minH="100vh">
      <Box bg="bg" borderBottomWidth="1px">
        <Container maxW="1240px">
          <Flex align="center" gap="6" h="14">
            <Text fontWeight="bold" fontSize="lg" color="teal.fg">
              Turnvex
            </Text>
            <HStack as="nav" gap="5" flex="1">
              {pages.map(([to, title]) => (
                <Link asChild key={to} color="fg.muted" _currentPage={{ color: 'fg', fontWeight: 'semibold' }}>
                  <NavLink to={to} end={to === '/'}>
                    {title}
                  </NavLink>
                </Link>
              ))}
            </HStack>
            {me ? (
              <HStack>
                <Text fontSize="sm" color="fg.muted">
                  {me.role === 'operator' ? 'Operator' : `${me.name}, watching`}
                </Text>
                <Button size="xs" variant="ghost" onClick={() => session.set(undefined)}>
                  Sign out
                </Button>
              </HStack>
            ) : (
              <SignIn />
            )}
            <IconButton
              size="sm"
              variant="ghost"
              aria-label={mode === 'dark' ? 'Light colours' : 'Dark colours'}
              onClick={flip}
            >
              {mode === 'dark' ? <LuSun /> : <LuMoon />}
            </IconButton>
          </Flex>
        </Container>
      </Box>
      <Container maxW="1240px" py="5">
        {problem && <Failed text={problem} />}
        {ready && <Outlet />}
      </Container>
    </Box>
  )
}

export function Failed({ text }: { text: string }) {
  return (
    <Alert.Root status="error" mb="4">
      <Alert.Indicator />
      <Alert.Title>{text}</Alert.Title>
    </Alert.Root>
  )
}
