import { Badge } from '@chakra-ui/react'

const colours: Record<string, string> = {
  gathering: 'blue',
  starting: 'yellow',
  playing: 'green',
  results: 'purple',
  closed: 'gray',
}

/** A lobby's state as a word. */
export function State({ state }: { state: string }) {
  return (
    <Badge size="sm" colorPalette={colours[state] ?? 'gray'}>
      {state}
    </Badge>
  )
}

const outcomes: Record<string, string> = { won: 'green', lost: 'red', drawn: 'yellow', left: 'gray' }

export function Outcome({ outcome }: { outcome: string }) {
  if (outcome === 'none' || !outcome) return null
  return (
    <Badge size="sm" colorPalette={outcomes[outcome] ?? 'gray'}>
      {outcome}
    </Badge>
  )
}
