import { Box } from '@chakra-ui/react'
import { teamColours } from '../app/theme.tsx'
import { shapes } from './fields.ts'

/** A team's sign. */
export function Glyph({ team, title }: { team: number; title?: string }) {
  return (
    <Box
      as="span"
      aria-label={title}
      role={title ? 'img' : undefined}
      aria-hidden={!title}
      color={`${teamColours[team] ?? 'gray'}.fg`}
      fontSize="xs"
      w="4"
      display="inline-block"
      textAlign="center"
      flex="none"
    >
      {shapes[team] ?? '●'}
    </Box>
  )
}
