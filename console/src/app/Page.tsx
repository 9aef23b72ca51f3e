import {
  Alert,
  Box,
  Button,
  Code,
  EmptyState,
  Flex,
  Heading,
  HStack,
  Skeleton,
  Stack,
  Table,
  Text,
} from '@chakra-ui/react'
import { Component, useEffect, useState, type ReactNode } from 'react'
import { LuCheck, LuCopy } from 'react-icons/lu'
import { Refused, type Bye } from 'turnvex-client'
import { PartFailed } from './part.tsx'

/** A page: its title, what stands beside it, and what it holds. */
export function Page({ title, beside, children }: { title: string; beside?: ReactNode; children: ReactNode }) {
  useTitle(title)
  return (
    <Stack gap="4">
      <Flex justify="space-between" align="center" gap="3" wrap="wrap" minH="9">
        <Heading as="h1" size="xl">
          {title}
        </Heading>
        {beside}
      </Flex>
      {children}
    </Stack>
  )
}

export function useTitle(title: string) {
  useEffect(() => {
    document.title = `${title} · Turnvex`
  }, [title])
}

/** A part of a page with a heading of its own. */
export function Section({
  title,
  beside,
  children,
  flush,
  ...rest
}: {
  title: string
  beside?: ReactNode
  children: ReactNode
  /** What it holds reaches to its edges. */
  flush?: boolean
  'data-test'?: string
}) {
  return (
    <Box as="section" aria-label={title} bg="bg" borderWidth="1px" rounded="md" overflow="hidden" minW="0" {...rest}>
      <Flex justify="space-between" align="center" gap="3" px="4" minH="11" borderBottomWidth="1px" wrap="wrap">
        <Heading as="h2" size="sm">
          {title}
        </Heading>
        {beside}
      </Flex>
      <Box p={flush ? '0' : '4'}>{children}</Box>
    </Box>
  )
}

/** Something went wrong: what, and what to do. */
export function Failed({ error, again }: { error: Error | string; again?: () => void }) {
  const text = typeof error === 'string' ? error : error.message
  const code = error instanceof Refused ? error.code : ''
  return (
    <Alert.Root status="error" size="sm" variant="surface">
      <Alert.Indicator />
      <Alert.Content>
        <Alert.Title>{text}</Alert.Title>
        {code && <Alert.Description fontFamily="mono">{code}</Alert.Description>}
      </Alert.Content>
      {again && (
        <Button size="xs" variant="outline" onClick={again}>
          Try again
        </Button>
      )}
    </Alert.Root>
  )
}

/** The connection is away; what is shown may be old. */
export function Away({ lost }: { lost?: Bye }) {
  if (!lost) return null
  return (
    <Alert.Root status="warning" size="sm" variant="surface" data-test="away">
      <Alert.Indicator />
      <Alert.Title>
        {lost.again ? 'Connection lost. Trying again; what you see may be out of date.' : lost.reason}
      </Alert.Title>
    </Alert.Root>
  )
}

/** The head of a table: its columns, and which of them hold numbers; an empty name is for acts. */
export function Columns({ names, numbers = [] }: { names: string[]; numbers?: string[] }) {
  return (
    <Table.Header>
      <Table.Row>
        {names.map((n, i) => (
          <Table.ColumnHeader
            key={n || 'acts'}
            ps={i === 0 ? '4' : undefined}
            textAlign={numbers.includes(n) ? 'end' : undefined}
          >
            {n}
          </Table.ColumnHeader>
        ))}
      </Table.Row>
    </Table.Header>
  )
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <EmptyState.Root size="sm">
      <EmptyState.Content>
        <EmptyState.Title asChild>
          <p>{title}</p>
        </EmptyState.Title>
        {children && <EmptyState.Description asChild>{<Box>{children}</Box>}</EmptyState.Description>}
      </EmptyState.Content>
    </EmptyState.Root>
  )
}

export function Loading({ lines = 4 }: { lines?: number }) {
  return (
    <Stack gap="3" p="4" aria-busy="true" aria-label="Loading">
      {Array.from({ length: lines }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the lines do not move
        <Skeleton key={i} height="5" width={`${90 - ((i * 17) % 40)}%`} />
      ))}
    </Stack>
  )
}

/** A command that can be copied. */
export function Command({ children }: { children: string }) {
  return (
    <HStack bg="bg.muted" rounded="sm" ps="3" pe="1" py="1" justify="space-between" maxW="100%">
      <Code bg="transparent" fontSize="xs" whiteSpace="pre-wrap" overflowWrap="anywhere">
        {children}
      </Code>
      <CopyButton text={children} />
    </HStack>
  )
}

/** Copies a text at a click, and says so. */
export function CopyButton({ text, label }: { text: string; label?: string }) {
  const [done, setDone] = useState(false)
  useEffect(() => {
    if (!done) return
    const timer = setTimeout(() => setDone(false), 1500)
    return () => clearTimeout(timer)
  }, [done])
  const copy = () => void navigator.clipboard?.writeText(text).then(() => setDone(true))
  return (
    <Button size="xs" variant="ghost" onClick={copy} aria-label={label ?? `Copy ${text}`} title={text}>
      {done ? <LuCheck /> : <LuCopy />}
    </Button>
  )
}

/** A long identifier: its beginning, and all of it at a click. */
export function Id({ id }: { id: string }) {
  return (
    <HStack gap="0" display="inline-flex">
      <Text as="span" fontFamily="mono" fontSize="xs" title={id}>
        {id.slice(0, 8)}…
      </Text>
      <CopyButton text={id} />
    </HStack>
  )
}

/** Keeps a fault of one page from taking the others with it. */
export class Boundary extends Component<{ children: ReactNode }, { error?: Error }> {
  state: { error?: Error } = {}

  static getDerivedStateFromError(error: Error) {
    return { error }
  }

  render() {
    const { error } = this.state
    if (!error) return this.props.children
    return (
      <Stack gap="3">
        <Heading as="h1" size="xl">
          This page failed
        </Heading>
        <Failed
          error={error}
          again={() => (error instanceof PartFailed ? location.reload() : this.setState({ error: undefined }))}
        />
      </Stack>
    )
  }
}
