import { Box, Flex, Input, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { range } from '../ui/playbookChanges'
import { nameOf, type Event } from './event'
import { useChanges } from '../ui/playbookChanges'

type Measure = Event['measures'][number]
type Band = NonNullable<Measure['bands']>[number]
export type Scope = Schemas['PlaybookChange']['scope']

/** Every measure with its bands, which can be changed. */
export function Bands({ e, measures, onChanged }: { e: Event; measures: Measure[]; onChanged: () => void }) {
  const [open, setOpen] = useState<string>()
  return (
    <Box>
      {measures.map((m) => (
        <Box key={m.id} borderTopWidth="1px" borderColor="hair" py="6px" css={{ breakInside: 'avoid' }}>
          <Flex gap="12px" align="baseline" wrap="wrap">
            <Text fontWeight="600" w="230px">
              {m.name}
            </Text>
            <Text color="soft" w="180px" fontSize="13px">
              {[...new Set(m.at.map((p) => nameOf(e, p.replace(/#\d+/g, '').split('~')[0])))].join(', ')}
            </Text>
            <Flex flex="1" gap="6px" wrap="wrap" minW="260px">
              {m.bands?.map((b, i) => (
                <chakra.button
                  key={i}
                  onClick={() => setOpen(open === m.id + i ? undefined : m.id + i)}
                  aria-expanded={open === m.id + i}
                  minH="32px"
                  px="9px"
                  borderRadius="8px"
                  borderWidth="1px"
                  borderColor="hair"
                  bg="band"
                  fontSize="13px"
                  cursor="pointer"
                  title={b.source}
                >
                  <b>{range(b, m.unit)}</b>{' '}
                  <Text as="span" color="soft">
                    {narrowed(e, b)}
                    {b.class}
                  </Text>
                </chakra.button>
              ))}
              {!m.bands?.length && (
                <Text color="soft" fontSize="13px">
                  for information
                </Text>
              )}
            </Flex>
          </Flex>
          {m.note && (
            <Text fontSize="12.5px" color="soft">
              {m.note}
            </Text>
          )}
          {m.bands?.map(
            (b, i) =>
              open === m.id + i && (
                <Box key={i} mt="4px">
                  {b.source && (
                    <Text fontSize="12.5px" color="soft">
                      Source: {b.source}
                    </Text>
                  )}
                  <Edit
                    e={e}
                    m={m}
                    band={b}
                    onDone={() => {
                      setOpen(undefined)
                      onChanged()
                    }}
                  />
                </Box>
              ),
          )}
        </Box>
      ))}
    </Box>
  )
}

function narrowed(e: Event, b: Band) {
  const of = [
    b.at && nameOf(e, b.at),
    b.level,
    b.sex,
    b.school,
    b.variant && (e.variants?.find((v) => v.id === b.variant)?.name ?? b.variant),
  ].filter(Boolean)
  return of.length ? `${of.join(', ')} · ` : ''
}

/** For whom a change counts: the club, a school, a level, an age group or one athlete. */
export function useScopes(e: Event): [string, string][] {
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  return [
    ['club:', 'the whole club'],
    ...(e.schools ?? []).map((s): [string, string] => [`school:${s.id}`, `school: ${s.name}`]),
    ...['developing', 'youth', 'trained', 'elite'].map((l): [string, string] => [`level:${l}`, `level: ${l}`]),
    ...['U14', 'U16', 'U18', 'U20', 'senior', 'masters'].map((g): [string, string] => [
      `group:${g}`,
      `age group: ${g}`,
    ]),
    ...(today.data?.athletes ?? []).map((a): [string, string] => [`athlete:${a.id}`, `only ${a.name}`]),
  ]
}

function Edit({ e, m, band, onDone }: { e: Event; m: Measure; band: Band; onDone: () => void }) {
  const changes = useChanges(e.id)
  const scopes = useScopes(e)
  const [error, setError] = useState('')
  const keep = async (ev: FormEvent<HTMLFormElement>) => {
    ev.preventDefault()
    const f = new FormData(ev.currentTarget)
    const num = (k: string) => {
      const t = String(f.get(k) ?? '')
        .trim()
        .replace(',', '.')
        .replace('−', '-')
      return t === '' ? undefined : Number(t)
    }
    const [scope, value] = String(f.get('scope')).split(/:(.*)/) as [Scope, string]
    const low = num('low'),
      high = num('high')
    if ([low, high].some((x) => x !== undefined && !Number.isFinite(x)))
      return setError('write the edges as numbers')
    const was = changes.data?.now.find((c) => c.scope === scope && c.value === value)
    const { at, level, sex, school, variant } = band
    const next = {
      at,
      level,
      sex,
      school,
      variant,
      low,
      high,
      class: 'C',
      source: String(f.get('why') ?? '').trim() || undefined,
    }
    const same = (b: Band) =>
      b.at === at && b.level === level && b.sex === sex && b.school === school && b.variant === variant
    const patch = {
      ...was?.patch,
      bands: [
        ...(was?.patch.bands ?? []).filter((b) => b.measure !== m.id || !same(b.band)),
        { measure: m.id, band: next },
      ],
    }
    try {
      await ask(
        client.POST('/api/playbook/{event}/changes', {
          params: { path: { event: e.id } },
          body: { id: newId(), on: was?.id, scope, value, yaml: '', patch },
        }),
      )
      await changes.refetch()
      onDone()
    } catch (err) {
      setError((err as Error).message)
    }
  }
  return (
    <form onSubmit={keep}>
      <Flex
        gap="8px"
        align="center"
        wrap="wrap"
        bg="raised"
        borderWidth="1px"
        borderColor="hair"
        borderRadius="10px"
        p="10px"
      >
        <Input
          name="low"
          aria-label="Lower edge"
          placeholder="no lower edge"
          defaultValue={band.low}
          w="120px"
          h="38px"
          bg="paper"
        />
        <Text color="soft">to</Text>
        <Input
          name="high"
          aria-label="Upper edge"
          placeholder="no upper edge"
          defaultValue={band.high}
          w="120px"
          h="38px"
          bg="paper"
        />
        <NativeSelect.Root w="200px">
          <NativeSelect.Field name="scope" aria-label="For whom" bg="paper" borderColor="hair" h="38px">
            {scopes.map(([id, text]) => (
              <option key={id} value={id}>
                {text}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Input name="why" aria-label="Why" placeholder="why" flex="1" minW="140px" h="38px" bg="paper" />
        <Button main h="38px" type="submit">
          Keep
        </Button>
      </Flex>
      {error && (
        <Text role="alert" color="plum" fontWeight="600" mt="4px">
          {error}
        </Text>
      )}
    </form>
  )
}
