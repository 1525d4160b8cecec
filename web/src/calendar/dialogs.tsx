import { Box, CloseButton, Dialog, Flex, Input, NativeSelect, Portal, Text, chakra } from '@chakra-ui/react'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, Refused, type Schemas } from '../ui/client'
import { ConfirmErase } from '../ui/ConfirmErase'
import { longDay } from '../ui/format'
import { Hint } from '../ui/Panel'
import { kinds, type Item, type Phase } from './plan'

const field = { bg: 'paper', borderColor: 'hair', h: '40px' } as const

function Sheet({ title, onClose, children }: { title: string; onClose: () => void; children: React.ReactNode }) {
  return (
    <Dialog.Root open onOpenChange={(e) => !e.open && onClose()} size="md">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header>
              <Dialog.Title>{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="20px">{children}</Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}

export function ItemDialog({
  item,
  cautions,
  onClose,
  onChange,
  onCopy,
  onErase,
}: {
  item: Item
  cautions: Schemas['Caution'][]
  onClose: () => void
  onChange: (more: Partial<Item>, text: string) => void
  onCopy: (day: string) => void
  onErase: () => void
}) {
  const [w, setW] = useState({
    day: item.day,
    words: item.words,
    dose: item.dose ?? '',
    intensity: item.intensity ?? '',
  })
  const held = cautions.some((c) => c.hold)
  return (
    <Sheet title={`${item.athlete}: ${kinds[item.kind]}`} onClose={onClose}>
      {cautions.map((c) => (
        <Box key={c.says} borderLeftWidth="3px" borderColor={c.hold ? 'plum' : 'ochre'} pl="10px" mb="6px">
          <Text>{c.says}.</Text>
        </Box>
      ))}
      <Text fontSize="12.5px" color="soft">
        What
      </Text>
      <Input aria-label="What" {...field} value={w.words} onChange={(e) => setW({ ...w, words: e.target.value })} />
      <Flex gap="10px" mt="8px">
        <Box flex="1">
          <Text fontSize="12.5px" color="soft">
            Dose
          </Text>
          <Input
            aria-label="Dose"
            {...field}
            value={w.dose}
            onChange={(e) => setW({ ...w, dose: e.target.value })}
          />
        </Box>
        <Box w="150px">
          <Text fontSize="12.5px" color="soft">
            Day
          </Text>
          <Input
            type="date"
            aria-label="Day"
            {...field}
            value={w.day}
            onChange={(e) => setW({ ...w, day: e.target.value })}
          />
        </Box>
        <Box w="120px">
          <Text fontSize="12.5px" color="soft">
            Intensity
          </Text>
          <Intensity value={w.intensity} onPick={(intensity) => setW({ ...w, intensity })} />
        </Box>
      </Flex>
      {item.attempt && (
        <Text mt="8px">
          <Link to={`/attempts/${item.attempt}/assign`} style={{ textDecoration: 'underline' }}>
            The assignment
          </Link>
        </Text>
      )}
      <Flex gap="8px" mt="14px" wrap="wrap">
        <Button main onClick={() => onChange(w, 'Changed')} disabled={!w.words.trim() || !w.day}>
          Keep
        </Button>
        {item.state !== 'done' && (
          <Button
            disabled={held && item.kind !== 'refilm'}
            onClick={() => onChange({ ...w, state: 'done' }, 'Done')}
          >
            Done
          </Button>
        )}
        {item.state !== 'skipped' && (
          <Button onClick={() => onChange({ ...w, state: 'skipped' }, 'Skipped')}>Skip</Button>
        )}
        {item.state !== 'planned' && (
          <Button onClick={() => onChange({ ...w, state: 'planned' }, 'Planned again')}>Planned again</Button>
        )}
        <Button disabled={w.day === item.day} title="Choose another day first" onClick={() => onCopy(w.day)}>
          Copy to that day
        </Button>
        <Button onClick={onErase}>Take it off</Button>
      </Flex>
    </Sheet>
  )
}

function Intensity({
  value,
  onPick,
}: {
  value: NonNullable<Item['intensity']>
  onPick: (v: NonNullable<Item['intensity']>) => void
}) {
  return (
    <NativeSelect.Root>
      <NativeSelect.Field
        aria-label="Intensity"
        {...field}
        value={value}
        onChange={(e) => onPick(e.currentTarget.value as NonNullable<Item['intensity']>)}
      >
        <option value="">not said</option>
        <option value="low">low</option>
        <option value="medium">medium</option>
        <option value="high">high</option>
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}

export function NewDialog({
  day,
  athletes,
  athlete,
  onClose,
  onAdd,
}: {
  day: string
  athletes: Schemas['Athlete'][]
  athlete: string
  onClose: () => void
  onAdd: (i: Item) => void
}) {
  const [intensity, setIntensity] = useState<NonNullable<Item['intensity']>>('')
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k) ?? '')
    onAdd({
      id: newId(),
      athleteId: get('athlete'),
      day,
      kind: get('kind') as Item['kind'],
      words: get('words').trim(),
      dose: get('dose').trim(),
      intensity,
    })
  }
  return (
    <Sheet title={longDay(day)} onClose={onClose}>
      <form onSubmit={submit}>
        <Flex gap="10px">
          <Box flex="1">
            <Text fontSize="12.5px" color="soft">
              Athlete
            </Text>
            <NativeSelect.Root>
              <NativeSelect.Field
                name="athlete"
                aria-label="Athlete"
                {...field}
                defaultValue={athlete || athletes[0]?.id}
              >
                {athletes.map((a) => (
                  <option key={a.id} value={a.id}>
                    {a.name}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              Kind
            </Text>
            <NativeSelect.Root>
              <NativeSelect.Field name="kind" aria-label="Kind" {...field}>
                {Object.entries(kinds).map(([k, n]) => (
                  <option key={k} value={k}>
                    {n}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Box>
        </Flex>
        <Text fontSize="12.5px" color="soft" mt="8px">
          What
        </Text>
        <Input name="words" aria-label="What" required {...field} autoFocus />
        <Flex gap="10px" mt="8px">
          <Box flex="1">
            <Text fontSize="12.5px" color="soft">
              Dose
            </Text>
            <Input name="dose" aria-label="Dose" {...field} />
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              Intensity
            </Text>
            <Intensity value={intensity} onPick={setIntensity} />
          </Box>
        </Flex>
        <Flex gap="8px" mt="14px">
          <Button main type="submit">
            Add it
          </Button>
          <Button onClick={onClose}>Not now</Button>
        </Flex>
      </form>
    </Sheet>
  )
}

const phaseKinds: [Phase['kind'], string][] = [
  ['preparation', 'preparation'],
  ['special', 'special work'],
  ['competition', 'competition'],
  ['rest', 'rest'],
]

export function PhasesDialog({
  mine,
  phases,
  onClose,
  onChanged,
}: {
  mine: boolean
  phases: Phase[]
  onClose: () => void
  onChanged: () => Promise<unknown>
}) {
  const [error, setError] = useState('')
  const [erasing, setErasing] = useState('')
  const act = async (what: () => Promise<unknown>) => {
    setError('')
    try {
      await what()
      await onChanged()
      return true
    } catch (e) {
      setError(e instanceof Refused || e instanceof Error ? e.message : '')
      return false
    }
  }
  const add = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const form = e.currentTarget
    const f = new FormData(form)
    const get = (k: string) => String(f.get(k) ?? '')
    if (
      await act(() =>
        ask(
          client.PUT('/api/phases', {
            body: {
              id: newId(),
              name: get('name').trim(),
              kind: get('kind') as Phase['kind'],
              from: get('from'),
              to: get('to'),
            },
          }),
        ),
      )
    )
      form.reset()
  }
  return (
    <Sheet title="Phases of the season" onClose={onClose}>
      <Box maxH="260px" overflowY="auto">
        {phases.length === 0 && (
          <Hint>None yet. With phases the calendar says what lies out of season, and what is for rest.</Hint>
        )}
        {phases.map((p) => (
          <Flex key={p.id} gap="10px" py="6px" borderTopWidth="1px" borderColor="hair" align="center" wrap="wrap">
            <Text fontWeight="600" flex="1">
              {p.name}
            </Text>
            <Text color="soft">
              {p.kind} · {longDay(p.from)} to {longDay(p.to)}
            </Text>
            {mine && (
              <Button h="32px" aria-label={`Take off ${p.name}`} onClick={() => setErasing(p.id)}>
                Take off
              </Button>
            )}
            {erasing === p.id && (
              <ConfirmErase
                says={`${p.name} is taken out of the season.`}
                yes="Take it off"
                onNo={() => setErasing('')}
                onYes={() =>
                  void act(() => ask(client.DELETE('/api/phases/{id}', { params: { path: { id: p.id } } })))
                }
              />
            )}
          </Flex>
        ))}
      </Box>
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error}
        </Text>
      )}
      {!mine && <Hint>The season is the whole club’s: its owner sets the phases.</Hint>}
      {mine && (
        <chakra.form onSubmit={add} display="flex" gap="8px" flexWrap="wrap" alignItems="flex-end" mt="12px">
          <Box flex="1 1 120px">
            <Text fontSize="12.5px" color="soft">
              Name
            </Text>
            <Input name="name" aria-label="Name" required {...field} />
          </Box>
          <Box w="130px">
            <Text fontSize="12.5px" color="soft">
              For
            </Text>
            <NativeSelect.Root>
              <NativeSelect.Field name="kind" aria-label="For" {...field}>
                {phaseKinds.map(([k, n]) => (
                  <option key={k} value={k}>
                    {n}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              From
            </Text>
            <Input type="date" name="from" aria-label="From" required {...field} />
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              To
            </Text>
            <Input type="date" name="to" aria-label="To" required {...field} />
          </Box>
          <Button main type="submit">
            Add it
          </Button>
        </chakra.form>
      )}
    </Sheet>
  )
}
