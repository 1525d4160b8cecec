import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { longDay, size } from '../ui/format'
import { AppHeader } from '../ui/AppHeader'
import { AttemptPicture } from '../ui/AttemptPicture'
import { useUploads } from '../ui/uploads'
import { useQueue } from '../ui/logQueue'
import { NewAttempt } from './NewAttempt'
import { resultText } from '../ui/result'

type Line = Schemas['Line']

/** What an attempt waits for, and the stage where that is done. */
function next(l: Line): { stage: string; text: string; found?: boolean } {
  if (!l.clip) return { stage: 'watch', text: 'add its clip' }
  if (l.status === 'failed') return { stage: 'watch', text: 'the clip could not be opened' }
  if (l.status === 'uploading') return { stage: 'watch', text: 'the rest of its film is missing' }
  if (l.status === 'held') return { stage: 'watch', text: 'waits for room on the disk' }
  if (l.status === 'choosing') return { stage: 'watch', text: 'say which part to keep' }
  if (l.status !== 'ready') return { stage: 'watch', text: 'the film is being taken apart' }
  if (!l.rateKnown) return { stage: 'watch', text: 'say its capture rate' }
  if (l.found && l.landmarks === 0)
    return { stage: l.stamps === 0 ? 'split' : 'measure', text: l.found, found: true }
  if (l.stamps === 0) return { stage: 'watch', text: 'watch it, then split it' }
  if (l.landmarks === 0) return { stage: 'measure', text: 'place the landmarks' }
  if (!l.focus) return { stage: 'judge', text: 'judge it' }
  return { stage: 'assign', text: `“${l.cue}”` }
}

const heads: [Schemas['WaitingItem']['kind'], string, string][] = [
  ['pain', 'Pain, open', 'plum'],
  ['playbook', 'Playbook change set aside', 'plum'],
  ['keep', 'Films and consent', 'plum'],
  ['plan', 'Planned for today', 'sky'],
  ['refilm', 'Film again', 'brick'],
  ['record', 'Own bests of two weeks', 'grass'],
]

/** What waits for the coach, in the order of the work. */
function Waits({ list }: { list: Schemas['WaitingItem'][] }) {
  const [all, setAll] = useState<string>()
  if (list.length === 0) return <Text color="soft">Nothing waits.</Text>
  return (
    <>
      {heads
        .filter(([kind]) => list.some((w) => w.kind === kind))
        .map(([kind, name, tone]) => {
          const of = list.filter((w) => w.kind === kind)
          const shown = all === kind ? of : of.slice(0, 4)
          return (
            <Box key={kind} as="section" aria-label={name} mb="16px">
              <Heading fontSize="16px" mb="6px">
                {name}{' '}
                <Text as="span" color="soft" fontWeight="400">
                  {of.length}
                </Text>
              </Heading>
              {shown.map((w, i) => (
                <Link key={w.to + i} to={w.to} style={{ display: 'block' }}>
                  <Box borderLeftWidth="3px" borderColor={tone} pl="10px" mb="6px" _hover={{ bg: 'raised' }}>
                    <Text fontWeight="600" lineHeight="1.25">
                      {w.says}
                    </Text>
                    {w.under && (
                      <Text color="soft" fontSize="12.5px">
                        {w.under}
                      </Text>
                    )}
                  </Box>
                </Link>
              ))}
              {of.length > shown.length && (
                <Button h="30px" fontSize="12.5px" onClick={() => setAll(kind)}>
                  all {of.length}
                </Button>
              )}
            </Box>
          )
        })}
    </>
  )
}

export function Today({ who }: { who: Schemas['State'] }) {
  const queries = useQueryClient()
  const today = useQuery({
    queryKey: ['today'],
    queryFn: () => ask(client.GET('/api/today')),
    refetchOnMount: 'always',
    refetchInterval: (q) =>
      q.state.data?.attempts.some((a) => a.status && !['ready', 'failed', 'choosing', 'held'].includes(a.status))
        ? 1500
        : false,
  })
  const disk = useQuery({ queryKey: ['disk'], queryFn: () => ask(client.GET('/api/disk')) })
  const uploads = useUploads()
  const [adding, setAdding] = useState(false)
  const queue = useQueue()
  const [unsent, setUnsent] = useState(false)
  const out = async () => {
    if (queue.some((n) => !n.refused)) return setUnsent(true)
    if ('caches' in window) await caches.delete('neokinema data')
    await ask(client.POST('/api/sign-out'))
    queries.clear()
    location.assign('/')
  }
  const d = today.data
  return (
    <Box minH="100%">
      <AppHeader>
        <Button h="34px" onClick={out}>
          Sign out
        </Button>
      </AppHeader>
      <Flex maxW="1240px" mx="auto" p="22px 28px" gap="32px" wrap="wrap" align="flex-start">
        <Box flex="1 1 620px">
          <Flex align="baseline" justify="space-between" mb="14px">
            <Heading fontSize="21px">
              Today
              {d && (
                <Text as="span" color="soft" fontSize="14px" fontWeight="400">
                  {' '}
                  · {longDay(d.day)} · {who.club} · {who.name}
                </Text>
              )}
            </Heading>
            <Button main onClick={() => setAdding(true)}>
              New attempt
            </Button>
          </Flex>
          {unsent && queue.length > 0 && (
            <Text role="alert" color="plum" fontWeight="600" mb="10px">
              {queue.length} of your notes are only in this browser yet: sign out when the server has them. They
              stand in the{' '}
              <Link to="/log" style={{ textDecoration: 'underline' }}>
                log
              </Link>
              .
            </Text>
          )}
          {disk.data?.low && (
            <Text role="alert" color="plum" fontWeight="600" mb="10px">
              The disk has {size(disk.data.free)} left: no more films are taken until clips are erased or room is
              made.
            </Text>
          )}
          {today.error && (
            <Text role="alert" color="plum">
              {today.error.message}
            </Text>
          )}
          {d && adding && <NewAttempt today={d} onClose={() => setAdding(false)} />}
          {d?.attempts.length === 0 && !adding && (
            <Box bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="24px" mb="12px">
              <Text fontWeight="600">{d.athletes.length === 0 ? 'Nothing here yet.' : 'No attempt waits.'}</Text>
              <Text color="soft">
                Film a start from the side, 120 pictures a second or more, then press “New attempt” and drop the
                file in.
              </Text>
            </Box>
          )}
          <Box as="ul" listStyleType="none">
            {d?.attempts.map((a) => {
              const sending = uploads.find((u) => u.attempt === a.id)
              const n = sending
                ? {
                    stage: 'watch',
                    text: sending.error
                      ? 'its film could not be sent'
                      : `sending its film: ${((100 * sending.sent) / sending.file.size).toFixed(0)} %`,
                  }
                : next(a)
              return (
                <Box as="li" key={a.id} mb="8px">
                  <Link to={`/attempts/${a.id}/${n.stage}`} style={{ display: 'block' }}>
                    <Flex
                      bg="raised"
                      borderWidth="1px"
                      borderColor="hair"
                      borderRadius="10px"
                      p="12px 16px"
                      gap="16px"
                      align="center"
                      _hover={{ borderColor: 'ink' }}
                    >
                      <Box w="96px" h="60px" borderRadius="6px" overflow="hidden" flex="none">
                        <AttemptPicture
                          attempt={a.id}
                          frame={
                            a.clip && a.status === 'ready'
                              ? `/api/clips/${a.clip}/frames/${a.first ?? 0}`
                              : undefined
                          }
                          filmless={a.filmless}
                          landmarks={a.landmarks}
                          alt=""
                          none={a.clip ? 'no picture yet' : 'no clip yet'}
                        />
                      </Box>
                      <Box flex="1" minW="0">
                        <Text fontWeight="600" fontSize="16px">
                          {a.athlete}
                        </Text>
                        <Text color="soft">
                          {d.events.find((e) => e.id === a.event)?.name} {a.number} · {longDay(a.day)} · {a.place}
                          {a.mark && ` · ${resultText(a.mark)}`}
                        </Text>
                      </Box>
                      <Box textAlign="right" maxW="280px">
                        <Text fontWeight="600" lineHeight="1.25" textWrap="balance">
                          {n.text}
                        </Text>
                        <Text color="soft" fontSize="12.5px">
                          {'found' in n && n.found
                            ? 'read by the server, unconfirmed'
                            : `${a.stamps} stamps · ${a.landmarks} landmarks`}
                        </Text>
                      </Box>
                    </Flex>
                  </Link>
                </Box>
              )
            })}
          </Box>
          {d && (
            <Text color="soft">
              {d.waiting > d.attempts.length && `The latest ${d.attempts.length} of ${d.waiting} that wait. `}
              What is done stands in the{' '}
              <Link to="/log" style={{ textDecoration: 'underline' }}>
                log
              </Link>{' '}
              and on the athletes’ pages.
            </Text>
          )}
        </Box>
        <Box flex="0 1 360px">{d && <Waits list={d.waits} />}</Box>
      </Flex>
    </Box>
  )
}
