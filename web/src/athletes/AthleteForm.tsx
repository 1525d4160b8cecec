import { Box, CloseButton, Dialog, Flex, Portal, Text, Textarea } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Sure } from '../bench/panels/Film'
import { Act } from '../shared/Act'
import { ask, client, type Schemas } from '../shared/client'
import { hangs } from '../shared/format'
import { Choice, Entry } from '../today/NewAttempt'

export type Athlete = Schemas['Athlete']

/** What an athlete's measuring needs to know of them. */
export function AthleteFields({ of, events }: { of?: Athlete; events?: Schemas['EventName'][] }) {
  return (
    <>
      <Flex gap="12px" mt="12px">
        <Entry label="Name" name="name" defaultValue={of?.name} required />
        <Choice label="Bands for" name="sex" defaultValue={of?.sex}><option value="woman">woman</option><option value="man">man</option></Choice>
        <Entry label="Born in" name="year" type="number" min={1900} max={2100} defaultValue={of?.birthYear} required />
      </Flex>
      <Flex gap="12px" mt="12px">
        <Entry label="Height, m" name="height" placeholder="1.74" inputMode="decimal" defaultValue={of?.heightM.toFixed(2)} required />
        <Choice label="Front-block leg" name="leg" defaultValue={of?.frontLeg}><option value="L">left</option><option value="R">right</option></Choice>
        <Choice label="Throwing hand" name="hand" defaultValue={of?.hand ?? 'R'}><option value="R">right</option><option value="L">left</option></Choice>
        <Choice label="Take-off leg" name="jump" defaultValue={of?.jumpLeg ?? 'L'}><option value="L">left</option><option value="R">right</option></Choice>
        <Choice label="Level" name="level" defaultValue={of?.level ?? 'trained'}>
          <option value="developing">developing</option><option value="youth">youth</option><option value="trained">trained</option><option value="elite">elite</option>
        </Choice>
      </Flex>
      <Flex gap="12px" mt="12px">
        <Entry label="Mass, kg" name="mass" inputMode="decimal" defaultValue={of?.massKg} />
        <Entry label="Para class, if there is one" name="para" defaultValue={of?.para} placeholder="F46" />
        <Entry label="Aids" name="aids" defaultValue={of?.aids} placeholder="prosthesis, frame, strap" />
      </Flex>
      {events && (
        <Box as="fieldset" mt="12px"><Text as="legend" fontSize="12.5px" color="soft">Events</Text>
          <Flex gap="4px 14px" wrap="wrap">{events.map((e) => <label key={e.id} style={{ minHeight: 28, display: 'inline-flex', gap: 6, alignItems: 'center' }}><input type="checkbox" name="events" value={e.id} defaultChecked={of?.events?.includes(e.id)} />{e.name}</label>)}</Flex>
        </Box>
      )}
      {events?.some((e) => e.schools.length > 1 && of?.events?.includes(e.id)) && (
        <Flex gap="12px" mt="12px" wrap="wrap">
          {events.filter((e) => e.schools.length > 1 && of?.events?.includes(e.id)).map((e) => (
            <Box key={e.id} w="200px"><Choice label={e.id === 'sprint-start' ? 'Usual block spacing' : `Usual school, ${e.name.toLowerCase()}`} name={`school ${e.id}`} defaultValue={of?.schools?.[e.id] ?? ''}><option value="">the first</option>{e.schools.map((s) => <option key={s.id} value={s.id} title={s.says}>{s.name}</option>)}</Choice></Box>
          ))}
        </Flex>
      )}
      <Flex gap="12px" mt="12px">
        <Entry label="Consent to being filmed, given by" name="consentBy" defaultValue={of?.consentBy} placeholder="the athlete, or a guardian" />
        <Entry label="On" name="consentDay" type="date" defaultValue={of?.consentDay} />
      </Flex>
      <Text fontSize="12.5px" color="soft" mt="12px">Notes</Text>
      <Textarea name="notes" aria-label="Notes" rows={2} bg="paper" borderColor="hair" p="8px" defaultValue={of?.notes} />
    </>
  )
}

/** The athlete that a form describes. */
export function athleteOf(id: string, f: FormData): Athlete {
  const get = (k: string) => String(f.get(k) ?? '')
  const mass = get('mass').trim()
  return {
    id, name: get('name'), sex: get('sex') as Athlete['sex'], birthYear: Number(get('year')),
    heightM: Number(get('height').replace(',', '.')), frontLeg: get('leg') as Athlete['frontLeg'], hand: get('hand') as Athlete['hand'], jumpLeg: get('jump') as Athlete['jumpLeg'], level: get('level') as Athlete['level'],
    massKg: mass ? Number(mass.replace(',', '.')) : undefined, para: get('para'), aids: get('aids'), events: f.getAll('events').map(String), schools: Object.fromEntries([...f.entries()].flatMap(([k, v]) => (k.startsWith('school ') && v ? [[k.slice(7), String(v)]] : []))), notes: get('notes'),
    consentBy: get('consentBy').trim(), consentDay: get('consentDay') || undefined,
  }
}

/** Changes an athlete, or erases them with all that hangs on them. */
export function AthleteDialog({ athlete, events, onClose }: { athlete: Athlete; events: Schemas['EventName'][]; onClose: () => void }) {
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const [asked, setAsked] = useState(false)
  const path = { params: { path: { id: athlete.id } } }
  const holdings = useQuery({ queryKey: ['athlete holdings', athlete.id], queryFn: () => ask(client.GET('/api/athletes/{id}/holdings', path)), enabled: asked })
  const act = async (what: () => Promise<unknown>) => {
    try {
      await what()
      await queries.invalidateQueries()
      onClose()
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    void act(() => ask(client.PUT('/api/athletes/{id}', { ...path, body: { ...athleteOf(athlete.id, f), version: athlete.version } })))
  }
  return (
    <Dialog.Root open onOpenChange={(e) => !e.open && onClose()} size="lg">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header><Dialog.Title>{athlete.name}</Dialog.Title></Dialog.Header>
            <Dialog.Body>
              <form onSubmit={submit}>
                <AthleteFields of={athlete} events={events} />
                {error && <Text role="alert" color="plum" mt="10px" fontWeight="600">{error}</Text>}
                <Flex gap="10px" mt="16px" align="center">
                  <Act main type="submit">Keep the changes</Act>
                  <Act onClick={onClose}>Leave it</Act>
                  <Box flex="1" />
                  <a href={`/api/athletes/${athlete.id}/held.zip`} download style={{ textDecoration: 'underline' }}>All that is held, ZIP</a>
                  <Act onClick={() => setAsked(true)}>Erase…</Act>
                </Flex>
              </form>
              {asked && holdings.data && (
                <Sure says={`With ${athlete.name} go ${hangs({ ...holdings.data, athletes: 0 })}: films, numbers and plans, from the disk too. Backups that you made keep theirs. This cannot be undone.`} yes="Erase all of it"
                  onNo={() => setAsked(false)} onYes={() => act(() => ask(client.DELETE('/api/athletes/{id}', path)))} />
              )}
            </Dialog.Body>
            <Dialog.CloseTrigger asChild><CloseButton size="sm" aria-label="Close" /></Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
