import { Box, Flex, Heading, Text, chakra } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { Mark } from '../door/Door'
import { Act } from '../shared/Act'
import { ask, client, type Schemas } from '../shared/client'
import { longDay, size } from '../shared/format'
import { useUploads } from '../shared/uploads'
import { markSays } from '../bench/Worth'
import { NewAttempt } from './NewAttempt'

type Line = Schemas['Line']

/** What an attempt waits for, and the stage where that is done. */
function next(l: Line): { stage: string; text: string } {
  if (!l.clip) return { stage: 'watch', text: 'add its clip' }
  if (l.status === 'failed') return { stage: 'watch', text: 'the clip could not be opened' }
  if (l.status === 'uploading') return { stage: 'watch', text: 'the rest of its film is missing' }
  if (l.status === 'choosing') return { stage: 'watch', text: 'say which part to keep' }
  if (l.status !== 'ready') return { stage: 'watch', text: 'the film is being taken apart' }
  if (!l.rateKnown) return { stage: 'watch', text: 'say its capture rate' }
  if (l.stamps === 0) return { stage: 'watch', text: 'watch it, then split it' }
  if (l.landmarks === 0) return { stage: 'measure', text: 'place the landmarks' }
  if (!l.focus) return { stage: 'judge', text: 'judge it' }
  return { stage: 'assign', text: `“${l.cue}”` }
}

export function Today({ who }: { who: Schemas['State'] }) {
  const queries = useQueryClient()
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')), refetchOnMount: 'always', refetchInterval: (q) => (q.state.data?.attempts.some((a) => a.status && !['ready', 'failed', 'choosing'].includes(a.status)) ? 1500 : false) })
  const disk = useQuery({ queryKey: ['disk'], queryFn: () => ask(client.GET('/api/disk')) })
  const uploads = useUploads()
  const [adding, setAdding] = useState(false)
  const out = async () => {
    await ask(client.POST('/api/sign-out'))
    queries.clear()
    location.assign('/')
  }
  const d = today.data
  const due = d?.attempts.filter((a) => a.refilm && a.refilm <= d.day) ?? []
  return (
    <Box minH="100%">
      <Flex h="52px" px="20px" align="center" borderBottomWidth="1px" borderColor="hair" gap="20px">
        <Mark size={19} />
        <Text color="soft" flex="1">{who.club} · {who.name}</Text>
        <Link to="/playbook" style={{ textDecoration: 'underline' }}>Playbook</Link>
        <Link to="/eye" style={{ textDecoration: 'underline' }}>Eye practice</Link>
        <Link to="/sim" style={{ textDecoration: 'underline' }}>Simulated camera</Link>
        <Link to="/settings" style={{ textDecoration: 'underline' }}>Settings</Link>
        <Act h="34px" onClick={out}>Sign out</Act>
      </Flex>
      <Flex maxW="1120px" mx="auto" p="28px" gap="32px" wrap="wrap" align="flex-start">
        <Box flex="1 1 620px">
          <Flex align="baseline" justify="space-between" mb="14px">
            <Heading fontSize="21px">Today{d && <Text as="span" color="soft" fontSize="14px" fontWeight="400"> · {longDay(d.day)}</Text>}</Heading>
            <Act main onClick={() => setAdding(true)}>New attempt</Act>
          </Flex>
          {disk.data?.low && <Text role="alert" color="plum" fontWeight="600" mb="10px">The disk has {size(disk.data.free)} left: no more films are taken until clips are erased or room is made.</Text>}
          {today.error && <Text role="alert" color="plum">{today.error.message}</Text>}
          {d && adding && <NewAttempt today={d} onClose={() => setAdding(false)} />}
          {d?.attempts.length === 0 && !adding && (
            <Box bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="24px">
              <Text fontWeight="600">Nothing here yet.</Text>
              <Text color="soft">Film a start from the side, 120 pictures a second or more, then press “New attempt” and drop the file in.</Text>
            </Box>
          )}
          <Box as="ul" listStyleType="none">
            {d?.attempts.map((a) => {
              const sending = uploads.find((u) => u.attempt === a.id)
              const n = sending ? { stage: 'watch', text: sending.error ? 'its film could not be sent' : `sending its film: ${((100 * sending.sent) / sending.file.size).toFixed(0)} %` } : next(a)
              return (
                <Box as="li" key={a.id} mb="8px">
                  <Link to={`/attempts/${a.id}/${n.stage}`} style={{ display: 'block' }}>
                    <Flex bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="12px 16px" gap="16px" align="center" _hover={{ borderColor: 'ink' }}>
                      {a.clip && a.status === 'ready' ? (
                        <img src={`/api/clips/${a.clip}/frames/${a.first ?? 0}`} alt="" width={96} height={54} style={{ borderRadius: 6, objectFit: 'cover', height: 54 }} />
                      ) : (
                        <Box w="96px" h="54px" borderRadius="6px" bg="stage" />
                      )}
                      <Box flex="1" minW="0">
                        <Text fontWeight="600" fontSize="16px">{a.athlete}</Text>
                        <Text color="soft">{d.events.find((e) => e.id === a.event)?.name} {a.number} · {longDay(a.day)} · {a.place}{a.mark && ` · ${markSays(a.mark)}`}</Text>
                      </Box>
                      <Box textAlign="right" maxW="260px">
                        <Text fontWeight="600">{n.text}</Text>
                        <Text color="soft" fontSize="12.5px">{a.stamps} stamps · {a.landmarks} landmarks</Text>
                      </Box>
                    </Flex>
                  </Link>
                </Box>
              )
            })}
          </Box>
        </Box>
        <Box flex="0 1 280px">
          <Heading fontSize="16px" mb="10px">Film again</Heading>
          {due.length === 0 && <Text color="soft">No re-film is due.</Text>}
          {due.map((a) => (
            <Box key={a.id} borderLeftWidth="3px" borderColor="brick" pl="10px" mb="10px">
              <Text fontWeight="600">{a.athlete}</Text>
              <Text color="soft">due {longDay(a.refilm!)}: “{a.cue}”</Text>
            </Box>
          ))}
          <Heading fontSize="16px" mt="24px" mb="10px">Athletes</Heading>
          {d?.athletes.map((p) => (
            <Link key={p.id} to={`/athletes/${p.id}`} style={{ display: 'block', minHeight: 40, lineHeight: '40px' }}>
              <chakra.span textDecoration="underline">{p.name}</chakra.span> <Text as="span" color="soft">· {p.level}, {p.frontLeg === 'L' ? 'left' : 'right'} leg in front</Text>
            </Link>
          ))}
          {d?.athletes.length === 0 && <Text color="soft">Your athletes appear here with their first attempt.</Text>}
        </Box>
      </Flex>
    </Box>
  )
}
