import { Box, Flex, Grid, Heading, NativeSelect, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { AttemptPicture } from '../ui/AttemptPicture'
import { Button, Pills } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { frameUrl } from './frames'
import { AppHeader } from '../ui/AppHeader'
import { resultText } from '../ui/result'

type Candidate = Schemas['Candidate']

const shapes = { good: '●', fair: '◐', poor: '◆', "can't tell": '○' } as const
const tones = { good: 'grass', fair: 'ochre', poor: 'plum', "can't tell": 'mist' } as const

/** Clips of one athlete at one event beside each other, at the same key position, to choose the one to work on. */
export function ContactSheetPage() {
  const { id = '' } = useParams()
  const [all, setAll] = useState<'session' | 'all'>('session')
  const [place, setPlace] = useState<string>()
  const bench = useQuery({
    queryKey: ['bench-of', id],
    queryFn: () => ask(client.GET('/api/attempts/{id}', { params: { path: { id } } })),
  })
  const b = bench.data
  const playbook = useQuery({
    queryKey: ['playbook', b?.event, b?.variant],
    enabled: !!b,
    staleTime: Infinity,
    queryFn: () =>
      ask(
        client.GET('/api/playbook/{event}', {
          params: { path: { event: b!.event }, query: { variant: b!.variant } },
        }),
      ),
  })
  const sheet = useQuery({
    queryKey: ['sheet', id, all],
    queryFn: () =>
      ask(client.GET('/api/attempts/{id}/sheet', { params: { path: { id }, query: { all: all === 'all' } } })),
  })
  const keys = playbook.data?.keys.filter((k) => sheet.data?.some((c) => c.stamps[k.id] !== undefined)) ?? []
  const at = keys.find((k) => k.id === place) ?? keys[0]
  return (
    <Box minH="100%">
      <AppHeader />
      <Box maxW="1180px" mx="auto" p="24px">
        <Flex align="center" gap="16px" wrap="wrap" mb="16px">
          <Heading fontSize="21px" mr="auto">
            Choose the clip
          </Heading>
          {b && (
            <Text color="soft">
              {b.athlete.name} · {playbook.data?.name ?? ''} ·{' '}
              <Link to={`/attempts/${id}/watch`} style={{ textDecoration: 'underline' }}>
                back to the Bench
              </Link>
            </Text>
          )}
          <Pills
            label="Which clips"
            options={[
              ['session', 'this session'],
              ['all', 'all sessions'],
            ]}
            value={all}
            onPick={setAll}
          />
          {keys.length > 0 && (
            <NativeSelect.Root size="sm" w="200px">
              <NativeSelect.Field
                aria-label="Key position shown"
                bg="paper"
                borderColor="hair"
                h="40px"
                value={at?.id}
                onChange={(e) => setPlace(e.currentTarget.value)}
              >
                {keys.map((k) => (
                  <option key={k.id} value={k.id}>
                    {k.name}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          )}
        </Flex>
        <Text color="soft" mb="14px">
          {keys.length > 0
            ? 'Each clip is shown at the same key position; one without that stamp shows its first ' +
              'picture. Pick the one to work on; the others stay for comparison.'
            : 'None of these clips is stamped yet: each shows its first picture. Pick the one to work ' +
              'on; the others stay for comparison.'}
        </Text>
        {sheet.error && (
          <Text role="alert" color="plum">
            {sheet.error.message}
          </Text>
        )}
        <Grid templateColumns="repeat(auto-fill, minmax(260px, 1fr))" gap="14px">
          {sheet.data?.map((c) => (
            <Card
              key={c.id}
              c={c}
              here={c.id === id}
              place={at?.id}
              name={at?.name}
              onPicked={() => sheet.refetch()}
            />
          ))}
        </Grid>
        <MarkLinks id={id} />
      </Box>
    </Box>
  )
}

/** Which measures go with farther marks over the athlete's attempts, honest about few of them. */
function MarkLinks({ id }: { id: string }) {
  const links = useQuery({
    queryKey: ['links', id],
    queryFn: () => ask(client.GET('/api/attempts/{id}/links', { params: { path: { id } } })),
  })
  const d = links.data
  if (!d) return null
  const sure = d.links.filter((l) => l.sure)
  const at = (x: number) => `${50 + 50 * x}%`
  return (
    <Box as="section" aria-label="Marks and measures" mt="28px" maxW="860px">
      <Heading fontSize="18px">What goes with farther marks</Heading>
      {d.attempts < d.wanted ? (
        <Text color="soft" mt="4px">
          {d.attempts} of this athlete’s attempts at this event are measured and have a mark; from {d.wanted} on,
          this says which measures go with farther ones. Add marks at the top of the Bench.
        </Text>
      ) : (
        <>
          <Text color="soft" mt="4px" mb="8px">
            Rank correlation over {d.attempts} attempts, with its 95 % interval. Few attempts prove little, and what
            goes together need not be the cause; a best mark with an open fault still shows the fault.{' '}
            {sure.length === 0 ? 'Nothing is sure so far.' : ''}
          </Text>
          {d.links.slice(0, 14).map((l) => (
            <Flex
              key={l.key}
              gap="12px"
              align="center"
              borderTopWidth="1px"
              borderColor="hair"
              minH="40px"
              wrap="wrap"
            >
              <Text w="260px" fontWeight="600">
                {l.name}
                <Text as="span" fontWeight="400" color="soft">
                  , {l.keyId}
                </Text>
              </Text>
              <Box
                position="relative"
                w="200px"
                h="14px"
                role="img"
                aria-label={`${l.rho.toFixed(2)}, between ${l.low.toFixed(2)} and ${l.high.toFixed(2)}`}
              >
                <Box position="absolute" top="6px" left="0" right="0" h="2px" bg="hair" />
                <Box position="absolute" top="1px" left="50%" w="1px" h="12px" bg="soft" />
                <Box
                  position="absolute"
                  top="5px"
                  h="4px"
                  borderRadius="2px"
                  bg={sure.includes(l) ? 'ink' : 'mist'}
                  left={at(l.low)}
                  right={`calc(100% - ${at(l.high)})`}
                />
                <Box
                  position="absolute"
                  top="1px"
                  w="3px"
                  h="12px"
                  ml="-1px"
                  bg={sure.includes(l) ? 'ink' : 'mist'}
                  left={at(l.rho)}
                />
              </Box>
              <Text flex="1" minW="200px" fontSize="13px" color={sure.includes(l) ? 'ink' : 'soft'}>
                {l.says}
                {l.outliers.length > 0 && `; against it: ${l.outliers.join(', ')}`}
              </Text>
            </Flex>
          ))}
        </>
      )}
    </Box>
  )
}

function Card({
  c,
  here,
  place,
  name,
  onPicked,
}: {
  c: Candidate
  here: boolean
  place?: string
  name?: string
  onPicked: () => void
}) {
  const queries = useQueryClient()
  const [why, setWhy] = useState<string>()
  const [error, setError] = useState('')
  const frame = place !== undefined ? c.stamps[place] : undefined
  const pick = async () => {
    try {
      await ask(
        client.POST('/api/attempts/{id}/pick', { params: { path: { id: c.id } }, body: { why: why ?? '' } }),
      )
      setWhy(undefined)
      onPicked()
      await queries.invalidateQueries({ queryKey: ['today'] })
    } catch (e) {
      setError((e as Error).message)
    }
  }
  return (
    <Box
      as="article"
      aria-label={`Attempt ${c.number}`}
      bg="raised"
      borderWidth={c.picked ? '2px' : '1px'}
      borderColor={c.picked ? 'ink' : 'hair'}
      borderRadius="10px"
      overflow="hidden"
    >
      <Box style={{ aspectRatio: '16 / 9' }}>
        <AttemptPicture
          attempt={c.id}
          frame={c.clip && c.version ? frameUrl(c.clip, frame ?? c.first ?? 0, c.version) : undefined}
          filmless={c.filmless}
          landmarks={c.marks}
          keyId={frame !== undefined ? place : undefined}
          alt={`Attempt ${c.number}${frame !== undefined ? ` at ${name}` : ', first picture'}`}
          none="no film yet"
        />
      </Box>
      <Box p="10px 12px">
        <Flex justify="space-between" align="baseline">
          <Text fontWeight="700" fontSize="16px">
            no. {c.number}
            {here && (
              <Text as="span" color="soft" fontSize="13px" fontWeight="400">
                {' '}
                · the one you came from
              </Text>
            )}
          </Text>
          <Text color="soft" fontSize="12.5px">
            {c.day}
          </Text>
        </Flex>
        <Text fontWeight="600" color={c.mark?.foul ? 'plum' : undefined} title={c.mark?.imperial}>
          {resultText(c.mark) || (
            <Text as="span" color="soft" fontWeight="400">
              no mark noted
            </Text>
          )}
        </Text>
        <Text color="soft" fontSize="13px">
          {frame !== undefined ? `${name}, picture ${frame}` : 'first picture'} · {Object.keys(c.stamps).length}{' '}
          stamps · {c.marks} landmarks
        </Text>
        <Flex gap="8px" wrap="wrap" my="4px" fontSize="12.5px">
          {c.checks.map((k) => (
            <Text key={k.id} color={tones[k.state]} title={k.says}>
              {shapes[k.state]} {k.name.toLowerCase()}
            </Text>
          ))}
        </Flex>
        {c.picked && <Text fontWeight="600">Picked: {c.picked}</Text>}
        {why === undefined ? (
          <Flex gap="8px" mt="6px" align="center">
            <Button h="36px" onClick={() => setWhy(c.picked ?? '')}>
              Pick this one
            </Button>
            <Link to={`/attempts/${c.id}/watch`} style={{ textDecoration: 'underline' }}>
              open
            </Link>
          </Flex>
        ) : (
          <Flex
            as="form"
            gap="6px"
            mt="6px"
            onSubmit={(e) => {
              e.preventDefault()
              void pick()
            }}
          >
            <input
              aria-label="Why this one"
              autoFocus
              placeholder="why this one?"
              value={why}
              onChange={(e) => setWhy(e.target.value)}
              style={{
                flex: 1,
                minWidth: 0,
                height: 36,
                padding: '0 8px',
                borderRadius: 8,
                border: '1px solid var(--chakra-colors-hair)',
                background: 'var(--chakra-colors-paper)',
              }}
            />
            <Button h="36px" type="submit" main disabled={!why.trim()}>
              Pick
            </Button>
          </Flex>
        )}
        {error && (
          <Text role="alert" color="plum">
            {error}
          </Text>
        )}
      </Box>
    </Box>
  )
}
