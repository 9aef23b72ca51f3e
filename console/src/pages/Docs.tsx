import { Box, Grid, Input, Link, Stack, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Marked } from 'marked'
import { useEffect, useMemo, useRef, useState } from 'react'
import { NavLink, useLocation, useNavigate, useParams } from 'react-router'
import { Empty, Failed, Loading, Page } from '../app/Page.tsx'

const texts = import.meta.glob<string>(['../../../docs/*.md', '../../../README.md', '../../../docs/decisions/*.md'], {
  query: '?raw',
  import: 'default',
})
const pictures = import.meta.glob<string>('../../../docs/screenshots/*.png', {
  query: '?url',
  import: 'default',
  eager: true,
})

const nameOf = (file: string) => file.replace(/^.*\/(decisions\/)?([^/]+)\.md$/, '$2')
const files = new Map(Object.keys(texts).map((f) => [nameOf(f), f]))
const titles: [string, string][] = [
  ['README', 'Overview'],
  ['first', 'Your first rulebook'],
  ['cookbook', 'Cookbook'],
  ['rulebook', 'Rulebook reference'],
  ['keys', 'What each key does'],
  ['scripts', 'Scripts'],
  ['clients', 'Clients'],
  ['protocol', 'Live protocol'],
  ['http', 'HTTP API'],
  ['errors', 'Errors'],
  ['operations', 'Operations'],
  ['database', 'Database'],
  ['scale', 'Scale'],
  ['security', 'Security'],
  ['architecture', 'Architecture'],
  ['glossary', 'Glossary'],
]

const load = (page: string) => {
  const file = files.get(page)
  return file && texts[file] ? texts[file]() : Promise.reject(new Error(`There is no page called ${page}.`))
}

/** The documentation, as it stands in the repository, with a search. */
export default function Docs() {
  const { page = 'README' } = useParams()
  const [wanted, setWanted] = useState('')
  const { data, error } = useQuery({
    queryKey: ['docs', page],
    queryFn: () => load(page),
    staleTime: Number.POSITIVE_INFINITY,
  })
  return (
    <Page
      title="Docs"
      beside={
        <Input
          size="sm"
          w="260px"
          type="search"
          placeholder="Search all pages"
          aria-label="Search all pages"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
      }
    >
      <Grid templateColumns={{ base: 'minmax(0, 1fr)', md: '170px minmax(0, 1fr)' }} gap="5" alignItems="start">
        <Stack as="nav" aria-label="Documentation" gap="0.5" position={{ md: 'sticky' }} top="4">
          {titles.map(([name, title]) => (
            <Link
              asChild
              key={name}
              px="2"
              py="1"
              rounded="sm"
              color="fg.muted"
              _currentPage={{ bg: 'bg.muted', color: 'fg' }}
            >
              <NavLink to={`/docs/${name}`} onClick={() => setWanted('')}>
                {title}
              </NavLink>
            </Link>
          ))}
        </Stack>
        <Box bg="bg" borderWidth="1px" rounded="md" px={{ base: '4', md: '6' }} py="4" minW="0">
          {wanted.trim().length > 1 ? (
            <Found wanted={wanted.trim()} done={() => setWanted('')} />
          ) : error ? (
            <Failed error={error} />
          ) : data === undefined ? (
            <Loading lines={8} />
          ) : (
            <Written text={data} />
          )}
        </Box>
      </Grid>
    </Page>
  )
}

/** The identifier of a heading, as the links between the pages have it. */
const slug = (text: string) =>
  text
    .toLowerCase()
    .replace(/<[^>]*>|[^\p{L}\p{N}\s_-]/gu, '')
    .trim()
    .replace(/\s/g, '-')

function html(text: string): string {
  const marked = new Marked({
    renderer: {
      heading({ tokens, depth }) {
        const inner = this.parser.parseInline(tokens)
        return `<h${Math.min(depth + 1, 6)} id="${slug(inner)}">${inner}</h${Math.min(depth + 1, 6)}>`
      },
      link({ href, tokens }) {
        const inner = this.parser.parseInline(tokens)
        const m = /^(?:docs\/|\.\.\/|decisions\/)*([\w-]+)\.md(#.*)?$/.exec(href)
        const to = m ? `/docs/${m[1]}${m[2] ?? ''}` : href.replace(/^(?:docs\/|\.\.\/)/, '')
        return `<a href="${to}">${inner}</a>`
      },
      image({ href, text }) {
        const file = Object.keys(pictures).find((p) => p.endsWith(`/${href.split('/').at(-1) ?? ''}`))
        return file ? `<img src="${pictures[file]}" alt="${text}" loading="lazy" width="1280" height="800">` : text
      },
      table(token) {
        const cells = (row: typeof token.header, tag: string) =>
          row.map((c) => `<${tag}>${this.parser.parseInline(c.tokens)}</${tag}>`).join('')
        const body = token.rows.map((r) => `<tr>${cells(r, 'td')}</tr>`).join('')
        return `<div class="wide" tabindex="0" role="group" aria-label="Table"><table><thead><tr>${cells(token.header, 'th')}</tr></thead><tbody>${body}</tbody></table></div>`
      },
      code({ text, lang }) {
        const safe = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;')
        return `<pre tabindex="0" role="group" aria-label="${lang || 'Example'}"><code>${safe}</code></pre>`
      },
    },
  })
  return marked.parse(text.replace(/<!--[\s\S]*?-->/g, ''), { async: false })
}

function Written({ text }: { text: string }) {
  const ref = useRef<HTMLDivElement>(null)
  const { hash } = useLocation()
  const navigate = useNavigate()
  const inner = useMemo(() => html(text), [text])
  // biome-ignore lint/correctness/useExhaustiveDependencies: another text has other headings
  useEffect(() => {
    if (hash) document.getElementById(decodeURIComponent(hash.slice(1)))?.scrollIntoView()
    else scrollTo(0, 0)
  }, [hash, inner])
  return (
    <Box
      ref={ref}
      css={prose}
      data-test="doc"
      onClick={(e) => {
        const a = (e.target as HTMLElement).closest('a')
        const to = a?.getAttribute('href')
        if (!to || /^https?:/.test(to)) return
        e.preventDefault()
        navigate(to)
      }}
      // biome-ignore lint/security/noDangerouslySetInnerHtml: the pages are our own, built in
      dangerouslySetInnerHTML={{ __html: inner }}
    />
  )
}

const prose = {
  lineHeight: '1.6',
  maxWidth: '820px',
  '& h2': { fontSize: '2xl', fontWeight: 'semibold', mb: '3' },
  '& h3': { fontSize: 'lg', fontWeight: 'semibold', mt: '7', mb: '2' },
  '& h4, & h5, & h6': { fontWeight: 'semibold', mt: '5', mb: '1' },
  '& p, & ul, & ol': { my: '3' },
  '& ul': { listStyle: 'disc', ps: '5' },
  '& ol': { listStyle: 'decimal', ps: '5' },
  '& a': { color: 'teal.fg', textDecoration: 'underline', textUnderlineOffset: '2px' },
  '& code': { fontFamily: 'mono', fontSize: '0.9em', bg: 'bg.muted', px: '1', rounded: 'xs', overflowWrap: 'anywhere' },
  '& pre': { bg: 'bg.muted', p: '3', rounded: 'sm', overflowX: 'auto', my: '3', lineHeight: '1.45' },
  '& td:first-of-type code': { overflowWrap: 'break-word' },
  '& pre code': { bg: 'transparent', px: '0', overflowWrap: 'normal' },
  '& .wide': { overflowX: 'auto', my: '3' },
  '& table': { borderCollapse: 'collapse', fontSize: 'sm' },
  '& th, & td': { borderBottomWidth: '1px', px: '2', py: '1', textAlign: 'start', verticalAlign: 'top' },
  '& th': { fontWeight: 'semibold' },
  '& img': { maxWidth: '100%', height: 'auto', borderWidth: '1px', rounded: 'sm' },
}

/** What all pages say of some words: each with the heading that it stands under. */
function Found({ wanted, done }: { wanted: string; done: () => void }) {
  const { data, error } = useQuery({
    queryKey: ['docs, all'],
    queryFn: () => Promise.all([...files.keys()].map(async (name) => [name, await load(name)] as const)),
    staleTime: Number.POSITIVE_INFINITY,
  })
  if (error) return <Failed error={error} />
  if (!data) return <Loading />
  const hits = data.flatMap(([name, text]) => search(name, text, wanted)).slice(0, 40)
  return (
    <Stack gap="3" data-test="found">
      <Text color="fg.muted">{hits.length === 40 ? 'The first 40 places' : `${hits.length} places`}</Text>
      {hits.length === 0 && <Empty title="No description" />}
      {hits.map((h) => (
        <Box key={`${h.page} ${h.heading} ${h.line}`}>
          <Link asChild colorPalette="teal" fontWeight="semibold">
            <NavLink to={`/docs/${h.page}${h.heading ? `#${slug(h.heading)}` : ''}`} onClick={done}>
              {titles.find(([n]) => n === h.page)?.[1] ?? h.page}
              {h.heading && ` › ${h.heading.replaceAll('`', '')}`}
            </NavLink>
          </Link>
          <Text fontSize="xs" color="fg.muted" lineClamp="2">
            {h.line}
          </Text>
        </Box>
      ))}
    </Stack>
  )
}

function search(page: string, text: string, wanted: string) {
  const words = wanted.toLowerCase().split(/\s+/)
  const hits: { page: string; heading: string; line: string }[] = []
  let heading = ''
  for (const line of text.split('\n')) {
    const h = /^#+ (.*)/.exec(line)
    if (h) heading = h[1] ?? ''
    const low = line.toLowerCase()
    if (words.every((w) => low.includes(w)) && hits.at(-1)?.heading !== heading)
      hits.push({ page, heading, line: line.replace(/[#|`*]/g, ' ').trim() })
  }
  return hits
    .sort(
      (a, b) =>
        Number(b.heading.toLowerCase().includes(words[0] ?? '')) -
        Number(a.heading.toLowerCase().includes(words[0] ?? '')),
    )
    .slice(0, 8)
}
