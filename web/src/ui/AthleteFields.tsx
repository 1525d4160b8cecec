import { Box, Flex, Text, Textarea } from '@chakra-ui/react'
import type { Schemas } from './client'
import { Choice, Entry } from './fields'

export type Athlete = Schemas['Athlete']

/** What an athlete's measuring needs to know of them. */
export function AthleteFields({ of, events }: { of?: Athlete; events?: Schemas['EventName'][] }) {
  return (
    <>
      <Flex gap="12px" mt="12px">
        <Entry label="Name" name="name" defaultValue={of?.name} required />
        <Choice label="Bands for" name="sex" defaultValue={of?.sex}>
          <option value="woman">woman</option>
          <option value="man">man</option>
        </Choice>
        <Entry
          label="Born in"
          name="year"
          type="number"
          min={1900}
          max={2100}
          defaultValue={of?.birthYear}
          required
        />
      </Flex>
      <Flex gap="12px" mt="12px">
        <Entry
          label="Height, m"
          name="height"
          placeholder="1.74"
          inputMode="decimal"
          defaultValue={of?.heightM.toFixed(2)}
          required
        />
        <Choice label="Front-block leg" name="leg" defaultValue={of?.frontLeg}>
          <option value="L">left</option>
          <option value="R">right</option>
        </Choice>
        <Choice label="Throwing hand" name="hand" defaultValue={of?.hand ?? 'R'}>
          <option value="R">right</option>
          <option value="L">left</option>
        </Choice>
        <Choice label="Take-off leg" name="jump" defaultValue={of?.jumpLeg ?? 'L'}>
          <option value="L">left</option>
          <option value="R">right</option>
        </Choice>
        <Choice label="Level" name="level" defaultValue={of?.level ?? 'trained'}>
          <option value="developing">developing</option>
          <option value="youth">youth</option>
          <option value="trained">trained</option>
          <option value="elite">elite</option>
        </Choice>
      </Flex>
      <Flex gap="12px" mt="12px">
        <Entry label="Mass, kg" name="mass" inputMode="decimal" defaultValue={of?.massKg} />
        <Entry label="Para class, if there is one" name="para" defaultValue={of?.para} placeholder="F46" />
        <Entry label="Aids" name="aids" defaultValue={of?.aids} placeholder="prosthesis, frame, strap" />
      </Flex>
      {events && (
        <Box as="fieldset" mt="12px">
          <Text as="legend" fontSize="12.5px" color="soft">
            Events
          </Text>
          <Flex gap="4px 14px" wrap="wrap">
            {events.map((e) => (
              <label key={e.id} style={{ minHeight: 28, display: 'inline-flex', gap: 6, alignItems: 'center' }}>
                <input type="checkbox" name="events" value={e.id} defaultChecked={of?.events?.includes(e.id)} />
                {e.name}
              </label>
            ))}
          </Flex>
        </Box>
      )}
      {events?.some((e) => e.schools.length > 1 && of?.events?.includes(e.id)) && (
        <Flex gap="12px" mt="12px" wrap="wrap">
          {events
            .filter((e) => e.schools.length > 1 && of?.events?.includes(e.id))
            .map((e) => (
              <Box key={e.id} w="200px">
                <Choice
                  label={`Usual ${e.schoolName}, ${e.name.toLowerCase()}`}
                  name={`school ${e.id}`}
                  defaultValue={of?.schools?.[e.id] ?? ''}
                >
                  <option value="">the first</option>
                  {e.schools.map((s) => (
                    <option key={s.id} value={s.id} title={s.says}>
                      {s.name}
                    </option>
                  ))}
                </Choice>
              </Box>
            ))}
        </Flex>
      )}
      <Flex gap="12px" mt="12px">
        <Entry
          label="Consent to being filmed, given by"
          name="consentBy"
          defaultValue={of?.consentBy}
          placeholder="the athlete, or a guardian"
        />
        <Entry label="On" name="consentDay" type="date" defaultValue={of?.consentDay} />
      </Flex>
      <Text fontSize="12.5px" color="soft" mt="12px">
        Notes
      </Text>
      <Textarea
        name="notes"
        aria-label="Notes"
        rows={2}
        bg="paper"
        borderColor="hair"
        p="8px"
        defaultValue={of?.notes}
      />
    </>
  )
}

/** The athlete that a form describes. */
export function athleteOf(id: string, f: FormData): Athlete {
  const get = (k: string) => String(f.get(k) ?? '')
  const mass = get('mass').trim()
  return {
    id,
    name: get('name'),
    sex: get('sex') as Athlete['sex'],
    birthYear: Number(get('year')),
    heightM: Number(get('height').replace(',', '.')),
    frontLeg: get('leg') as Athlete['frontLeg'],
    hand: get('hand') as Athlete['hand'],
    jumpLeg: get('jump') as Athlete['jumpLeg'],
    level: get('level') as Athlete['level'],
    massKg: mass ? Number(mass.replace(',', '.')) : undefined,
    para: get('para'),
    aids: get('aids'),
    events: f.getAll('events').map(String),
    schools: Object.fromEntries(
      [...f.entries()].flatMap(([k, v]) => (k.startsWith('school ') && v ? [[k.slice(7), String(v)]] : [])),
    ),
    notes: get('notes'),
    consentBy: get('consentBy').trim(),
    consentDay: get('consentDay') || undefined,
  }
}
