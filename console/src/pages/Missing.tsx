import { EmptyState, Link } from '@chakra-ui/react'
import { NavLink } from 'react-router'

export function Missing() {
  return (
    <EmptyState.Root>
      <EmptyState.Content>
        <EmptyState.Title>There is nothing at this address</EmptyState.Title>
        <Link asChild>
          <NavLink to="/">To the lobbies</NavLink>
        </Link>
      </EmptyState.Content>
    </EmptyState.Root>
  )
}
