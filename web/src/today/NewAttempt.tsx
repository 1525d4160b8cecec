import { Box, Field, Flex, Heading, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useNavigate } from 'react-router'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { upper } from '../ui/format'
import { check, send } from '../ui/uploads'
import { AthleteFields, athleteOf } from '../ui/AthleteFields'
import { Choice, Entry } from '../ui/fields'

/** Logs an attempt; its clip is added on the Bench. */
export function NewAttempt({ today, onClose }: { today: Schemas['Today']; onClose: () => void }) {
  const go = useNavigate()
  const queries = useQueryClient()
  const [who, setWho] = useState(today.athletes[0]?.id ?? 'new')
  // What the athlete does is offered first.
  const usual = (id: string) => today.athletes.find((a) => a.id === id)?.events?.[0] ?? today.events[0]?.id
  const [event, setEvent] = useState(usual(who))
  const variants = today.events.find((e) => e.id === event)?.variants ?? []
  const schools = today.events.find((e) => e.id === event)?.schools ?? []
  const schoolName = today.events.find((e) => e.id === event)?.schoolName ?? ''
  const [error, setError] = useState('')
  const [ids] = useState(() => ({ attempt: newId(), athlete: newId() }))

  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k) ?? '')
    try {
      const films = f.getAll('films').filter((x): x is File => x instanceof File && x.name !== '')
      for (const film of films) await check(film)
      let athleteId = who
      if (who === 'new') {
        athleteId = (await ask(client.POST('/api/athletes', { body: athleteOf(ids.athlete, f) }))).id
      }
      for (let i = 0; i < Math.max(1, films.length); i++) {
        const id = i === 0 ? ids.attempt : newId()
        await ask(
          client.POST('/api/attempts', {
            body: {
              id,
              athleteId,
              event: get('event'),
              school: get('school') || undefined,
              variant: get('variant'),
              day: get('day'),
              place: get('place'),
            },
          }),
        )
        if (films[i]) void send(id, films[i])
      }
      queries.invalidateQueries({ queryKey: ['today'] })
      if (films.length > 1) onClose()
      else go(`/attempts/${ids.attempt}/watch`)
    } catch (err) {
      setError((err as Error).message)
    }
  }

  return (
    <Box
      as="section"
      aria-label="New attempt"
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="20px"
      mb="16px"
    >
      <form onSubmit={submit}>
        <Heading fontSize="16px" mb="12px">
          New attempt
        </Heading>
        <Flex gap="12px" wrap={{ base: 'wrap', md: 'nowrap' }}>
          <Choice
            label="Athlete"
            name="athlete"
            value={who}
            onChange={(e) => {
              setWho(e.currentTarget.value)
              setEvent(usual(e.currentTarget.value))
            }}
          >
            {today.athletes.map((a) => (
              <option key={a.id} value={a.id}>
                {a.name}
              </option>
            ))}
            <option value="new">someone new…</option>
          </Choice>
          <Choice label="Event" name="event" value={event} onChange={(e) => setEvent(e.currentTarget.value)}>
            {today.events.map((e) => (
              <option key={e.id} value={e.id}>
                {e.name}
              </option>
            ))}
          </Choice>
          {schools.length > 1 && (
            <Choice
              key={`${event} ${who}`}
              label={upper(schoolName)}
              name="school"
              defaultValue={today.athletes.find((a) => a.id === who)?.schools?.[event ?? '']}
            >
              {schools.map((s) => (
                <option key={s.id} value={s.id} title={s.says}>
                  {s.name}
                </option>
              ))}
            </Choice>
          )}
          {variants.length > 1 && (
            <Choice label="How" name="variant">
              {variants.map((v) => (
                <option key={v.id} value={v.id}>
                  {v.name}
                </option>
              ))}
            </Choice>
          )}
        </Flex>
        {who === 'new' && <AthleteFields />}
        <Flex gap="12px" mt="12px">
          <Entry label="Day" name="day" type="date" defaultValue={today.day} required />
          <Entry label="Place" name="place" defaultValue={today.place} placeholder="track or hall" required />
        </Flex>
        <Field.Root mt="12px">
          <Field.Label fontSize="12.5px" color="soft">
            Films, if they are here: one attempt each
          </Field.Label>
          <input type="file" name="films" multiple accept="video/*,.mkv,.mov,.avi" aria-label="Films" />
        </Field.Root>
        {error && (
          <Text role="alert" color="plum" mt="10px" fontWeight="600">
            {error}
          </Text>
        )}
        <Flex gap="10px" mt="16px">
          <Button main type="submit">
            Log it
          </Button>
          <Button onClick={onClose}>Not now</Button>
        </Flex>
      </form>
    </Box>
  )
}
