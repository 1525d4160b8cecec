import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { LiveStage } from '../figure/LiveStage'
import { AppHeader } from '../ui/AppHeader'
import { Choice } from '../ui/fields'

/** Trains the eye: an attempt with an unnamed fault, the coach's answer, the truth beside it. */
export function EyePage() {
  const queries = useQueryClient()
  const menu = useQuery({ queryKey: ['sim'], queryFn: () => ask(client.GET('/api/sim')), staleTime: Infinity })
  const scores = useQuery({ queryKey: ['practice'], queryFn: () => ask(client.GET('/api/practice')) })
  const [event, setEvent] = useState('')
  const [now, setNow] = useState<{ id: string; motion: Schemas['Motion'] }>()
  const [shown, setShown] = useState<Schemas['PracticeAnswer']>()
  const [fault, setFault] = useState<string>()
  const [at, setAt] = useState<number>()
  const [t, setT] = useState(0)
  const [error, setError] = useState('')
  const e = menu.data?.events.find((x) => x.id === now?.motion.event)
  const act = async (what: () => Promise<void>) => {
    try {
      setError('')
      await what()
    } catch (err) {
      setError((err as Error).message)
    }
  }
  const next = () =>
    act(async () => {
      const id = newId()
      const motion = await ask(client.POST('/api/practice', { body: { id, event: event || undefined } }))
      setShown(undefined)
      setFault(undefined)
      setAt(undefined)
      setNow({ id, motion })
    })
  const answer = () =>
    act(async () => {
      setShown(
        await ask(
          client.POST('/api/practice/{id}', {
            params: { path: { id: now!.id } },
            body: { fault: fault!, at: fault ? at : undefined },
          }),
        ),
      )
      queries.invalidateQueries({ queryKey: ['practice'] })
    })
  const nameOf = (ev: string, f: string) =>
    f === '' ? 'clean' : (menu.data?.events.find((x) => x.id === ev)?.faults.find((x) => x.id === f)?.name ?? f)
  const marks = [
    ...(at !== undefined ? [{ t: at, says: 'where you saw it begin' }] : []),
    ...(shown?.begins !== undefined ? [{ t: shown.begins, says: 'where it begins' }] : []),
  ]
  return (
    <Box minH="100%">
      <AppHeader />
      <Flex maxW="1240px" mx="auto" p="20px" gap="20px" align="flex-start" wrap="wrap">
        <Box flex="1 1 700px" minW="0">
          {!now && (
            <Box bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="22px">
              <Heading fontSize="18px" mb="8px">
                See it before you measure it
              </Heading>
              <Text color="soft" mb="14px">
                The simulated athlete does an attempt. There is one fault in it, or none. Watch it once at real
                speed, once slow, then picture by picture, then slow again. Say what you saw and where it began. The
                clean movement of the same athlete then stands beside it.
              </Text>
              <Button main onClick={next}>
                Show me one
              </Button>
            </Box>
          )}
          {now && (
            <LiveStage
              motion={now.motion}
              beside={shown && shown.fault ? shown.clean : undefined}
              onTime={setT}
              mark={marks}
              label={shown?.fault ? 'Left: the attempt. Right: the clean movement.' : 'The attempt to judge'}
            />
          )}
          {shown && now && <Truth shown={shown} event={now.motion.event} nameOf={nameOf} onNext={next} />}
          {error && (
            <Text role="alert" color="plum" fontWeight="600" mt="8px">
              {error}
            </Text>
          )}
        </Box>
        <Box flex="0 1 340px">
          <Box bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="16px" mb="14px">
            <Choice label="Events" value={event} onChange={(x) => setEvent(x.currentTarget.value)}>
              <option value="">any event</option>
              {menu.data?.events.map((x) => (
                <option key={x.id} value={x.id}>
                  {x.name}
                </option>
              ))}
            </Choice>
            {now && e && !shown && (
              <>
                <Heading as="h2" fontSize="14px" mt="14px" mb="6px">
                  What did you see?{' '}
                  <Text as="span" fontWeight="400" color="soft">
                    {e.name}, {now.motion.variant.replaceAll('-', ' ')}
                  </Text>
                </Heading>
                <Box maxH="264px" overflowY="auto" role="radiogroup" aria-label="What did you see">
                  {[{ id: '', name: 'Nothing: it was clean', says: '' }, ...e.faults].map((f) => (
                    <label
                      key={f.id}
                      title={f.says}
                      style={{ display: 'flex', gap: 8, alignItems: 'center', minHeight: 30 }}
                    >
                      <input
                        type="radio"
                        name="fault"
                        style={{ accentColor: 'var(--chakra-colors-ink)' }}
                        checked={fault === f.id}
                        onChange={() => setFault(f.id)}
                      />{' '}
                      {f.name}
                    </label>
                  ))}
                </Box>
                <Flex gap="8px" mt="10px" align="center" wrap="wrap">
                  <Button disabled={!fault} onClick={() => setAt(t)}>
                    {at === undefined ? 'It begins here' : `Begins at ${at.toFixed(2)} s`}
                  </Button>
                  <Button main disabled={fault === undefined} onClick={answer}>
                    That is it
                  </Button>
                </Flex>
                <Text fontSize="12.5px" color="soft" mt="8px">
                  Step to the first picture on which it shows, then say that it begins there.
                </Text>
              </>
            )}
          </Box>
          <Scores
            list={scores.data}
            eventName={(id) => menu.data?.events.find((x) => x.id === id)?.name}
            nameOf={nameOf}
          />
        </Box>
      </Flex>
    </Box>
  )
}

type NameOf = (event: string, fault: string) => string

/** What was in the attempt, beside what the coach said. */
function Truth({
  shown,
  event,
  nameOf,
  onNext,
}: {
  shown: Schemas['PracticeAnswer']
  event: string
  nameOf: NameOf
  onNext: () => void
}) {
  return (
    <Box
      as="section"
      aria-label="The truth"
      mt="14px"
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="16px"
      role="status"
    >
      <Heading fontSize="17px" color={shown.right ? 'grass' : 'plum'}>
        {shown.right ? '● Seen' : '◆ Not it'}
        {': '}
        <Text as="span" color="ink">
          {nameOf(event, shown.fault)}
          {shown.fault && `, strength ${shown.strength.toFixed(1)}`}
        </Text>
      </Heading>
      {shown.says && <Text mt="6px">{shown.says.charAt(0).toUpperCase() + shown.says.slice(1)}.</Text>}
      {!shown.right && (
        <Text color="soft" mt="4px">
          You said: {nameOf(event, shown.said)}.
        </Text>
      )}
      {shown.begins !== undefined && (
        <Text color="soft" mt="4px">
          It begins at {shown.begins.toFixed(2)} s
          {shown.at !== undefined &&
            `; you said ${shown.at.toFixed(2)} s, ${Math.abs(shown.at - shown.begins).toFixed(2)} s ` +
              `${shown.at > shown.begins ? 'later' : 'earlier'}`}
          . There a part of the body is 5 cm from where the clean movement has it. Step through: left is the
          attempt, right the same athlete clean.
        </Text>
      )}
      <Button main mt="12px" onClick={onNext}>
        Another one
      </Button>
    </Box>
  )
}

/** How often each fault was seen, and how far off its beginning. */
function Scores({
  list,
  eventName,
  nameOf,
}: {
  list?: Schemas['Score'][]
  eventName: (id: string) => string | undefined
  nameOf: NameOf
}) {
  return (
    <Box
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="16px"
      as="section"
      aria-label="How your eye does"
    >
      <Heading as="h2" fontSize="14px" mb="6px">
        How your eye does
      </Heading>
      {list?.length === 0 && <Text color="soft">Nothing yet. Each answer counts here, by event and fault.</Text>}
      {!!list?.length && (
        <table style={{ width: '100%', fontVariantNumeric: 'tabular-nums', fontSize: 13.5 }}>
          <thead>
            <tr style={{ textAlign: 'left' }}>
              <th>event, fault</th>
              <th>seen</th>
              <th style={{ textAlign: 'right' }}>off by</th>
            </tr>
          </thead>
          <tbody>
            {list.map((s) => (
              <tr key={s.event + s.fault}>
                <td>
                  {eventName(s.event)}, {nameOf(s.event, s.fault)}
                </td>
                <td>
                  {s.seen} of {s.shown}
                </td>
                <td style={{ textAlign: 'right' }}>{s.offOf ? `${s.off.toFixed(2)} s` : '–'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Box>
  )
}
