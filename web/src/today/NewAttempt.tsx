import { Box, Field, Flex, Heading, Input, NativeSelect, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useNavigate } from 'react-router'
import { v7 as newId } from 'uuid'
import { Act } from '../shared/Act'
import { ask, client, type Schemas } from '../shared/client'

type Athlete = Schemas['Athlete']

export function Choice({ label, children, ...rest }: { label: string } & React.ComponentProps<typeof NativeSelect.Field>) {
  return (
    <Field.Root>
      <Field.Label fontSize="12.5px" color="soft">{label}</Field.Label>
      <NativeSelect.Root>
        <NativeSelect.Field bg="paper" borderColor="hair" h="40px" {...rest}>{children}</NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Field.Root>
  )
}

function Entry({ label, ...rest }: { label: string } & React.ComponentProps<typeof Input>) {
  return (
    <Field.Root>
      <Field.Label fontSize="12.5px" color="soft">{label}</Field.Label>
      <Input bg="paper" borderColor="hair" h="40px" {...rest} />
    </Field.Root>
  )
}

/** Logs an attempt; its clip is added on the Bench. */
export function NewAttempt({ today, onClose }: { today: Schemas['Today']; onClose: () => void }) {
  const go = useNavigate()
  const queries = useQueryClient()
  const [who, setWho] = useState(today.athletes[0]?.id ?? 'new')
  const [error, setError] = useState('')
  const [ids] = useState(() => ({ attempt: newId(), athlete: newId() }))
  const place = today.attempts[0]?.place ?? ''

  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k) ?? '')
    try {
      let athleteId = who
      if (who === 'new') {
        const body: Athlete = {
          id: ids.athlete, name: get('name'), sex: get('sex') as Athlete['sex'], birthYear: Number(get('year')),
          heightM: Number(get('height').replace(',', '.')), frontLeg: get('leg') as Athlete['frontLeg'], level: get('level') as Athlete['level'],
        }
        athleteId = (await ask(client.POST('/api/athletes', { body }))).id
      }
      await ask(client.POST('/api/attempts', { body: { id: ids.attempt, athleteId, event: get('event'), school: get('school'), day: get('day'), place: get('place') } }))
      queries.invalidateQueries({ queryKey: ['today'] })
      go(`/attempts/${ids.attempt}/watch`)
    } catch (err) {
      setError((err as Error).message)
    }
  }

  return (
    <Box as="section" aria-label="New attempt" bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="20px" mb="16px">
      <form onSubmit={submit}>
        <Heading fontSize="16px" mb="12px">New attempt</Heading>
        <Flex gap="12px" wrap={{ base: 'wrap', md: 'nowrap' }}>
          <Choice label="Athlete" name="athlete" value={who} onChange={(e) => setWho(e.currentTarget.value)}>
            {today.athletes.map((a) => <option key={a.id} value={a.id}>{a.name}</option>)}
            <option value="new">someone new…</option>
          </Choice>
          <Choice label="Event" name="event">{today.events.map((e) => <option key={e.id} value={e.id}>{e.name}</option>)}</Choice>
          <Choice label="Block spacing" name="school" defaultValue="medium">
            <option value="bunched">bunched</option><option value="medium">medium</option><option value="elongated">elongated</option>
          </Choice>
        </Flex>
        {who === 'new' && (
          <>
            <Flex gap="12px" mt="12px">
              <Entry label="Name" name="name" required />
              <Choice label="Bands for" name="sex"><option value="woman">woman</option><option value="man">man</option></Choice>
              <Entry label="Born in" name="year" type="number" min={1900} max={2100} required />
            </Flex>
            <Flex gap="12px" mt="12px">
              <Entry label="Height, m" name="height" placeholder="1.74" inputMode="decimal" required />
              <Choice label="Front-block leg" name="leg"><option value="L">left</option><option value="R">right</option></Choice>
              <Choice label="Level" name="level" defaultValue="trained">
                <option value="developing">developing</option><option value="youth">youth</option><option value="trained">trained</option><option value="elite">elite</option>
              </Choice>
            </Flex>
          </>
        )}
        <Flex gap="12px" mt="12px">
          <Entry label="Day" name="day" type="date" defaultValue={today.day} required />
          <Entry label="Place" name="place" defaultValue={place} placeholder="track or hall" required />
        </Flex>
        {error && <Text role="alert" color="plum" mt="10px" fontWeight="600">{error}</Text>}
        <Flex gap="10px" mt="16px">
          <Act main type="submit">Log it and add the clip</Act>
          <Act onClick={onClose}>Not now</Act>
        </Flex>
      </form>
    </Box>
  )
}
