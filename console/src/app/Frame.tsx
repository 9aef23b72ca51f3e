import { Box, Button, Flex, HStack, IconButton, Link, Spinner, Stack, Text, VisuallyHidden } from '@chakra-ui/react'
import { Suspense, useEffect, useState } from 'react'
import {
  LuActivity,
  LuBookOpen,
  LuFileCode,
  LuGamepad2,
  LuHouse,
  LuMenu,
  LuMoon,
  LuScrollText,
  LuSun,
  LuSwords,
  LuTrophy,
  LuUsers,
} from 'react-icons/lu'
import { NavLink, Outlet, useLocation } from 'react-router'
import { useSession } from './calls.ts'
import { Boundary, Failed } from './Page.tsx'
import { OtherKey, SignIn } from './SignIn.tsx'
import { noProblem, session, signOut } from './session.ts'
import { useMode } from './theme.tsx'

const pages = [
  { to: '/', title: 'Home', icon: LuHouse },
  { to: '/lobbies', title: 'Lobbies', icon: LuSwords },
  { to: '/play', title: 'Play here', icon: LuGamepad2 },
  { to: '/results', title: 'Results', icon: LuScrollText },
  { to: '/boards', title: 'Boards', icon: LuTrophy },
  { to: '/players', title: 'Players', icon: LuUsers, needs: 'read' },
  { to: '/rulebooks', title: 'Rulebooks', icon: LuFileCode },
  { to: '/operations', title: 'Operations', icon: LuActivity, needs: 'read' },
  { to: '/docs', title: 'Docs', icon: LuBookOpen },
]

/** What stands around every page: navigation, who is signed in, colour mode. */
export function Frame() {
  const { state, problem } = useSession()
  const [open, setOpen] = useState(false)
  const { pathname } = useLocation()
  // biome-ignore lint/correctness/useExhaustiveDependencies: another page closes the menu
  useEffect(() => setOpen(false), [pathname])
  return (
    <Flex minH="100vh" direction={{ base: 'column', lg: 'row' }}>
      <VisuallyHidden asChild>
        <a href="#content">Skip to the content</a>
      </VisuallyHidden>
      <Box
        as="header"
        bg="bg"
        borderEndWidth={{ lg: '1px' }}
        borderBottomWidth={{ base: '1px', lg: '0' }}
        w={{ lg: '184px' }}
        flex="none"
        position={{ lg: 'sticky' }}
        top="0"
        h={{ lg: '100vh' }}
        display="flex"
        flexDirection="column"
      >
        <Flex align="center" justify="space-between" h="12" px="4" flex="none">
          <Text fontWeight="bold" fontSize="md" color="teal.fg">
            Turnvex
          </Text>
          <IconButton
            display={{ lg: 'none' }}
            size="sm"
            variant="ghost"
            aria-label="Menu"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
          >
            <LuMenu />
          </IconButton>
        </Flex>
        <Box
          as="nav"
          aria-label="Pages"
          display={{ base: open ? 'block' : 'none', lg: 'block' }}
          flex="1"
          overflowY="auto"
          px="2"
          pb="2"
        >
          <Stack gap="0.5">
            {pages
              .filter((p) => !p.needs || session.can(p.needs))
              .map((p) => (
                <Link
                  asChild
                  key={p.to}
                  px="2"
                  h="9"
                  rounded="sm"
                  color="fg.muted"
                  _hover={{ bg: 'bg.muted', textDecoration: 'none' }}
                  _currentPage={{ color: 'fg', bg: 'bg.muted', fontWeight: 'semibold' }}
                >
                  <NavLink to={p.to} end={p.to === '/'}>
                    <p.icon aria-hidden />
                    {p.title}
                  </NavLink>
                </Link>
              ))}
          </Stack>
        </Box>
        <Box display={{ base: open ? 'block' : 'none', lg: 'block' }} px="4" py="3" borderTopWidth="1px">
          <Account />
        </Box>
      </Box>
      <Box as="main" id="content" flex="1" minW="0" px={{ base: '3', md: '5' }} py="4" tabIndex={-1} outline="none">
        {problem && (
          <Box mb="4">
            <Failed error={problem} again={noProblem} />
          </Box>
        )}
        {state === 'starting' ? (
          <Spinner size="sm" />
        ) : (
          <Boundary key={pathname}>
            <Suspense fallback={<Spinner size="sm" aria-label="Loading" />}>
              <Outlet />
            </Suspense>
          </Boundary>
        )}
      </Box>
    </Flex>
  )
}

function Account() {
  const { who } = useSession()
  const { mode, flip } = useMode()
  return (
    <Stack gap="2">
      <HStack justify="space-between">
        <Text fontSize="xs" color="fg.muted" truncate title={who?.name}>
          {who ? (who.role === 'operator' ? `Operator: ${who.name}` : who.name) : 'Not signed in'}
        </Text>
        <IconButton
          size="xs"
          variant="ghost"
          aria-label={mode === 'dark' ? 'Light colours' : 'Dark colours'}
          onClick={flip}
        >
          {mode === 'dark' ? <LuSun /> : <LuMoon />}
        </IconButton>
      </HStack>
      <SignIn />
      <OtherKey />
      {who && (
        <Button size="xs" variant="outline" onClick={() => void signOut()}>
          Sign out
        </Button>
      )}
    </Stack>
  )
}
