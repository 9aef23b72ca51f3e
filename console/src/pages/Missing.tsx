import { Link } from '@chakra-ui/react'
import { NavLink } from 'react-router'
import { Empty, Page } from '../app/Page.tsx'

export default function Missing() {
  return (
    <Page title="Not found">
      <Empty title="There is nothing at this address">
        <Link asChild colorPalette="teal">
          <NavLink to="/">Go to the home page</NavLink>
        </Link>
      </Empty>
    </Page>
  )
}
