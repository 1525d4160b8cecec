import { Box, Flex, Grid, Heading, Input, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { Button } from '../ui/Button'
import { ask, client } from '../ui/client'
import { nameOf, type Event, type Fault } from './event'
import { Bands } from './Bands'
import { Chain } from './Chain'
import { Changes } from './Changes'
import { CleanBesideFaulty } from './CleanBesideFaulty'
import { Figure, pointsOf, usePoses } from '../ui/Figure'
import { AppHeader } from '../ui/AppHeader'
import { WhenNear } from '../ui/WhenNear'

/** A part of the page with its heading; kept together on paper. */
export function Part({ title, says, children }: { title: string; says?: string; children: React.ReactNode }) {
  return (
    <Box as="section" aria-label={title} mb="32px" css={{ breakInside: 'avoid-page' }}>
      <Heading fontSize="18px" mb="4px">
        {title}
      </Heading>
      {says && (
        <Text color="soft" mb="10px" maxW="760px">
          {says}
        </Text>
      )}
      {children}
    </Box>
  )
}

/** An event's playbook, read like a handbook and changed for the club. */
export function PlaybookPage() {
  const { event } = useParams()
  const go = useNavigate()
  const queries = useQueryClient()
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const events = today.data?.events ?? []
  const id = event ?? events[0]?.id ?? ''
  const [variant, setVariant] = useState('')
  const book = useQuery({
    queryKey: ['playbook', id, variant, 'page'],
    enabled: !!id,
    queryFn: () =>
      ask(client.GET('/api/playbook/{event}', { params: { path: { event: id }, query: { variant } } })),
  })
  const [words, setWords] = useState('')
  const e = book.data
  const variants = events.find((x) => x.id === id)?.variants ?? []
  return (
    <Box minH="100%" bg="paper">
      <AppHeader />
      <Flex maxW="1240px" mx="auto" p="24px" gap="28px" align="flex-start">
        <Box
          as="nav"
          aria-label="Events"
          w="150px"
          flex="none"
          position="sticky"
          top="16px"
          css={{ '@media print': { display: 'none' } }}
          display={{ base: 'none', md: 'block' }}
        >
          {events.map((x) => (
            <Link
              key={x.id}
              to={`/playbook/${x.id}`}
              aria-current={x.id === id ? 'page' : undefined}
              onClick={() => setVariant('')}
              style={{ display: 'block' }}
            >
              <Box
                px="10px"
                minH="40px"
                lineHeight="40px"
                borderRadius="8px"
                fontWeight="600"
                bg={x.id === id ? 'ink' : 'transparent'}
                color={x.id === id ? 'paper' : 'ink'}
              >
                {x.name}
              </Box>
            </Link>
          ))}
        </Box>
        <Box flex="1" minW="0">
          {book.error && (
            <Text role="alert" color="plum" fontWeight="600">
              {book.error.message}
            </Text>
          )}
          {e && (
            <>
              <Flex align="center" gap="12px" wrap="wrap" mb="18px">
                <Heading fontSize="24px" mr="auto">
                  {e.name}
                </Heading>
                <NativeSelect.Root w="170px" display={{ base: 'block', md: 'none' }}>
                  <NativeSelect.Field
                    aria-label="Event"
                    bg="paper"
                    borderColor="hair"
                    h="40px"
                    value={id}
                    onChange={(x) => {
                      setVariant('')
                      go(`/playbook/${x.currentTarget.value}`)
                    }}
                  >
                    {events.map((x) => (
                      <option key={x.id} value={x.id}>
                        {x.name}
                      </option>
                    ))}
                  </NativeSelect.Field>
                  <NativeSelect.Indicator />
                </NativeSelect.Root>
                {variants.length > 1 && (
                  <NativeSelect.Root w="200px">
                    <NativeSelect.Field
                      aria-label="How"
                      bg="paper"
                      borderColor="hair"
                      h="40px"
                      value={variant || variants[0].id}
                      onChange={(x) => setVariant(x.currentTarget.value)}
                    >
                      {variants.map((v) => (
                        <option key={v.id} value={v.id}>
                          {v.name}
                        </option>
                      ))}
                    </NativeSelect.Field>
                    <NativeSelect.Indicator />
                  </NativeSelect.Root>
                )}
                <Input
                  aria-label="Search this playbook"
                  placeholder="search: a fault, a cue, a measure"
                  w="260px"
                  h="40px"
                  bg="paper"
                  borderColor="hair"
                  value={words}
                  onChange={(x) => setWords(x.currentTarget.value)}
                  css={{ '@media print': { display: 'none' } }}
                />
                <Button onClick={() => print()} css={{ '@media print': { display: 'none' } }}>
                  Print
                </Button>
              </Flex>
              <Book
                key={id + variant}
                e={e}
                variant={variant || variants[0]?.id || ''}
                words={words.trim().toLowerCase()}
                onChanged={() => void queries.invalidateQueries()}
              />
            </>
          )}
        </Box>
      </Flex>
    </Box>
  )
}

function Book({
  e,
  variant,
  words,
  onChanged,
}: {
  e: Event
  variant: string
  words: string
  onChanged: () => void
}) {
  const has = (...texts: (string | undefined)[]) => !words || texts.some((t) => t?.toLowerCase().includes(words))
  const faults = e.faults.filter((f) =>
    has(f.name, f.says, ...cuesOf(e, f).map((c) => c.text), ...drillsOf(e, f).map((d) => d.text)),
  )
  const measures = e.measures.filter((m) => has(m.name, m.note))
  const looks = e.looks.filter((l) => has(l.text, l.off))
  const [fault, setFault] = useState<string>()
  return (
    <>
      {!words && e.schools && e.schools.length > 0 && (
        <Part
          title="Schools"
          says="Views of what is right; the first is the default. Bands of their own stand beside the others below."
        >
          {e.schools.map((s) => (
            <Text key={s.id} mb="4px">
              <b>{s.name}.</b> {s.says}
            </Text>
          ))}
        </Part>
      )}
      {!words && (
        <Part
          title="Key positions"
          says="In order; what the first picture of each shows. The figure is the simulated athlete, a right-hander."
        >
          <Positions e={e} variant={variant} />
        </Part>
      )}
      {!words && (
        <Part
          title="Clean beside faulty"
          says={
            'The same athlete twice, at the same moment: at the left clean, at the right with the ' +
            'fault. Turn it to any side.'
          }
        >
          <WhenNear minH="540px">
            <CleanBesideFaulty
              key={e.id}
              e={e}
              variant={variant}
              fault={fault ?? e.faults[0]?.id}
              onFault={setFault}
            />
          </WhenNear>
        </Part>
      )}
      {!words && (
        <Part
          title="What leads to what"
          says={
            'From left to right as it happens. A line is as thick as the cause is likely; round ends ' +
            'are habits and settings, square ones outcomes.'
          }
        >
          <Chain
            e={e}
            onFault={(id) =>
              document.getElementById(`fault-${id}`)?.scrollIntoView({ behavior: 'smooth', block: 'center' })
            }
          />
        </Part>
      )}
      {measures.length > 0 && (
        <Part
          title="Measures and bands"
          says={
            'A band is a guide for trained adults unless it says otherwise. P is published, its ' +
            'source named; C is common practice in the trade. Press a band to change it for your ' +
            'club, or for a part of it.'
          }
        >
          <Bands e={e} measures={measures} onChanged={onChanged} />
        </Part>
      )}
      {faults.length > 0 && (
        <Part title="Faults, cues and drills">
          {faults.map((f) => (
            <FaultEntry key={f.id} e={e} f={f} onShow={words ? undefined : () => setFault(f.id)} />
          ))}
        </Part>
      )}
      {looks.length > 0 && (
        <Part title="By eye" says="Judged good, off or can’t see, at their key position.">
          {looks.map((l) => (
            <Text key={l.id} mb="2px">
              <b>{nameOf(e, l.at)}</b> {l.text}{' '}
              <Text as="span" color="soft">
                · off: {lower(l.off)}
              </Text>
            </Text>
          ))}
        </Part>
      )}
      {!words && (
        <Part title="Care">
          {e.care.map((c) => (
            <Text key={c} borderLeftWidth="3px" borderColor="ochre" pl="10px" mb="6px">
              {c}
            </Text>
          ))}
        </Part>
      )}
      {!words && (
        <Box css={{ '@media print': { display: 'none' } }}>
          <Part
            title="Your club’s changes"
            says={
              'The shipped playbook stays as it is; what you change lies over it, with its history, ' +
              'and can be taken off again.'
            }
          >
            <Changes e={e} onChanged={onChanged} />
          </Part>
        </Box>
      )}
      {words && faults.length + measures.length + looks.length === 0 && (
        <Text color="soft">Nothing in this playbook says “{words}”.</Text>
      )}
    </>
  )
}

/** A fault with its evidence, what it comes from and leads to, its cues and drills. */
function FaultEntry({ e, f, onShow }: { e: Event; f: Fault; onShow?: () => void }) {
  const cues = cuesOf(e, f)
  const drills = drillsOf(e, f)
  return (
    <Box id={`fault-${f.id}`} borderTopWidth="1px" borderColor="hair" py="12px" css={{ breakInside: 'avoid' }}>
      <Flex gap="10px" align="baseline" wrap="wrap">
        <Text fontSize="16px" fontWeight="700">
          {f.name}
        </Text>
        <Text color="soft" flex="1" minW="240px">
          {f.says}
        </Text>
        {onShow && (
          <chakra.button
            fontSize="13px"
            textDecoration="underline"
            cursor="pointer"
            minH="32px"
            onClick={() => {
              onShow()
              document.querySelector('[aria-label="Clean beside faulty"]')?.scrollIntoView({ behavior: 'smooth' })
            }}
            css={{ '@media print': { display: 'none' } }}
          >
            show it
          </chakra.button>
        )}
      </Flex>
      <Grid templateColumns={{ base: '1fr', lg: '1fr 1fr' }} gap="6px 28px" mt="6px" fontSize="14px">
        <Box>
          <Small>Seen by</Small>
          {f.evidence?.map((x, i) => (
            <Text key={i}>
              {x.look ? `by eye: ${lower(e.looks.find((l) => l.id === x.look)?.off ?? '')}` : sign(e, x)}
            </Text>
          ))}
          {f.from && Object.keys(f.from).length > 0 && (
            <>
              <Small>Comes from</Small>
              <Text>
                {Object.entries(f.from)
                  .sort((a, b) => b[1] - a[1])
                  .map(([id]) => nameOf(e, id))
                  .join(', ')}
              </Text>
            </>
          )}
          {leads(e, f.id).length > 0 && (
            <>
              <Small>Leads to</Small>
              <Text>{leads(e, f.id).join(', ')}</Text>
            </>
          )}
          {f.care && (
            <Text mt="4px" fontWeight="600" color="ochre">
              {f.care}
            </Text>
          )}
        </Box>
        <Box>
          <Small>Cues</Small>
          {cues.map((c) => (
            <Text key={c.id}>
              “{c.text}”{' '}
              <Text as="span" color="soft" fontSize="12.5px">
                {c.kind}
                {c.misread && `; misread when ${c.misread.text}`}
              </Text>
            </Text>
          ))}
          {drills.length > 0 && <Small>Practice</Small>}
          {drills.map((d) => (
            <Text key={d.id}>
              {d.text}{' '}
              <Text as="span" color="soft" fontSize="12.5px">
                {d.kind && `${d.kind}; `}
                {d.dose}; then {d.growth}
              </Text>
            </Text>
          ))}
        </Box>
      </Grid>
    </Box>
  )
}

const cuesOf = (e: Event, f: Fault) => e.cues?.filter((c) => c.fault === f.id) ?? []
const drillsOf = (e: Event, f: Fault) => e.drills?.filter((d) => d.faults.includes(f.id)) ?? []

const Small = ({ children }: { children: React.ReactNode }) => (
  <Text fontSize="12.5px" color="soft" mt="4px">
    {children}
  </Text>
)
const lower = (s: string) => s.charAt(0).toLowerCase() + s.slice(1)

function leads(e: Event, id: string) {
  return [
    ...e.faults.filter((f) => f.from?.[id]).map((f) => f.name.toLowerCase()),
    ...(e.nodes ?? []).filter((n) => n.kind === 'outcome' && n.from?.[id]).map((n) => n.name),
  ]
}

const marks: Record<string, string> = { deg: '°', '%': ' %', s: ' s', m: ' m', 'm/s': ' m/s' }

function sign(e: Event, x: NonNullable<Fault['evidence']>[number]) {
  const [m, at] = x.measure!.split('@')
  const measure = e.measures.find((y) => y.id === m)
  return (
    `${measure?.name ?? m}, ${nameOf(e, at.replace(/#\d+$/, ''))}` +
    `${/#\d+$/.test(at) ? ` ${at.split('#')[1]}` : ''}: ` +
    `${x.side === 'high' ? 'above' : 'below'} ${String(x.limit).replace('-', '−')}` +
    `${marks[measure?.unit ?? ''] ?? ` ${measure?.unit ?? ''}`}`
  )
}

/** The key positions with the simulated athlete's figure in each. */
function Positions({ e, variant }: { e: Event; variant: string }) {
  const poses = usePoses(e.id, variant, e.views[0])
  return (
    <Grid templateColumns="repeat(auto-fill, minmax(150px, 1fr))" gap="10px">
      {e.keys.map((k) => {
        const p = poses.data?.[k.id]
        return (
          <Box
            key={k.id}
            bg="raised"
            borderWidth="1px"
            borderColor="hair"
            borderRadius="10px"
            p="10px"
            css={{ breakInside: 'avoid' }}
          >
            <svg viewBox="-0.05 -0.05 1.1 1.1" width="100%" height={96} aria-hidden>
              {p && (
                <Figure
                  at={pointsOf(p)}
                  role={(l) => (l.endsWith('.R') ? 'front' : l.endsWith('.L') ? 'rear' : 'middle')}
                  width={0.024}
                />
              )}
            </svg>
            <Text fontWeight="600" lineHeight="1.2">
              {k.name}
              {k.optional && (
                <Text as="span" color="soft" fontWeight="400" fontSize="12.5px">
                  {' '}
                  optional
                </Text>
              )}
            </Text>
            <Text fontSize="12.5px" color="soft" lineHeight="1.25">
              {k.sees}
            </Text>
          </Box>
        )
      })}
    </Grid>
  )
}
