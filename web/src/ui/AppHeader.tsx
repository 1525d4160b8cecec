import { Box, Flex, Input, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState, type ReactNode } from 'react'
import { Link, NavLink, useNavigate } from 'react-router'
import { ask, client } from './client'
import { Logo } from './Logo'

const rooms = [
  ['/', 'Today'],
  ['/athletes', 'Athletes'],
  ['/log', 'Log'],
  ['/calendar', 'Calendar'],
  ['/playbook', 'Playbook'],
  ['/eye', 'Eye practice'],
  ['/sim', 'Simulated camera'],
  ['/settings', 'Settings'],
]

/** The bar on top of every page that is not the Bench: the rooms, and a search over all of them. */
export function AppHeader({ children }: { children?: ReactNode }) {
  return (
    <Flex
      as="header"
      minH="52px"
      px="20px"
      align="center"
      borderBottomWidth="1px"
      borderColor="hair"
      gap="18px"
      wrap="wrap"
      className="unprinted"
    >
      <Link to="/" aria-label="To Today">
        <Logo size={19} />
      </Link>
      <Flex as="nav" gap="14px" flex="1" wrap="wrap" aria-label="Rooms">
        {rooms.map(([to, name]) => (
          <NavLink
            key={to}
            to={to}
            end={to === '/'}
            style={({ isActive }) => ({
              lineHeight: '40px',
              fontWeight: isActive ? 700 : 500,
              textDecoration: isActive ? 'none' : 'underline',
              textUnderlineOffset: 3,
            })}
          >
            {name}
          </NavLink>
        ))}
      </Flex>
      <Search />
      {children}
    </Flex>
  )
}

const kinds = {
  athlete: 'athlete',
  attempt: 'attempt',
  session: 'session',
  note: 'note',
  cue: 'cue',
  pain: 'pain note',
  plan: 'plan',
} as const

/** Finds words in athletes, attempts, sessions, notes, cues, pain notes and plans. */
function Search() {
  const go = useNavigate()
  const [text, setText] = useState('')
  const [sought, setSought] = useState('')
  const [at, setAt] = useState(0)
  const field = useRef<HTMLInputElement>(null)
  useEffect(() => {
    const wait = setTimeout(() => setSought(text.trim()), 180)
    return () => clearTimeout(wait)
  }, [text])
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const typing = /^(INPUT|TEXTAREA|SELECT)$/.test((e.target as HTMLElement).tagName)
      if (e.key === '/' && !typing) {
        e.preventDefault()
        field.current?.focus()
      }
    }
    addEventListener('keydown', press)
    return () => removeEventListener('keydown', press)
  }, [])
  const found = useQuery({
    queryKey: ['search', sought],
    queryFn: () => ask(client.GET('/api/search', { params: { query: { q: sought } } })),
    enabled: sought.length > 1,
  })
  const hits = sought.length > 1 && text ? (found.data ?? []) : []
  const open = (to: string) => {
    setText('')
    field.current?.blur()
    go(to)
  }
  return (
    <Box position="relative" w="220px">
      <Input
        ref={field}
        role="combobox"
        aria-label="Search"
        aria-expanded={hits.length > 0}
        aria-controls="hits"
        aria-activedescendant={hits.length > 0 ? `hit-${at}` : undefined}
        placeholder="Search  /"
        h="36px"
        bg="raised"
        borderColor="hair"
        value={text}
        autoComplete="off"
        onChange={(e) => {
          setText(e.target.value)
          setAt(0)
        }}
        onKeyDown={(e) => {
          if (e.key === 'Escape') setText('')
          if (e.key === 'ArrowDown') {
            e.preventDefault()
            setAt(Math.min(at + 1, hits.length - 1))
          }
          if (e.key === 'ArrowUp') {
            e.preventDefault()
            setAt(Math.max(at - 1, 0))
          }
          if (e.key === 'Enter' && hits[at]) open(hits[at].to)
        }}
      />
      {text && sought.length > 1 && (
        <Box
          id="hits"
          role="listbox"
          position="absolute"
          right="0"
          top="40px"
          w="420px"
          maxW="90vw"
          maxH="420px"
          overflowY="auto"
          bg="raised"
          borderWidth="1px"
          borderColor="ink"
          borderRadius="10px"
          zIndex={20}
          p="6px"
        >
          {found.data && hits.length === 0 && (
            <Text p="8px" color="soft">
              Nothing holds all of these words.
            </Text>
          )}
          {hits.map((h, i) => (
            <chakra.button
              key={i}
              id={`hit-${i}`}
              role="option"
              aria-selected={i === at}
              display="block"
              w="100%"
              textAlign="left"
              p="7px 10px"
              borderRadius="7px"
              bg={i === at ? 'paper' : 'transparent'}
              onMouseEnter={() => setAt(i)}
              onClick={() => open(h.to)}
            >
              <Text fontWeight="600" lineClamp={1}>
                {h.says}
              </Text>
              <Text fontSize="12.5px" color="soft" lineClamp={1}>
                {kinds[h.kind]}
                {h.under && ` · ${h.under}`}
              </Text>
            </chakra.button>
          ))}
        </Box>
      )}
    </Box>
  )
}
