import { Box, Flex, Input, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { v7 as newId } from 'uuid'
import { Callout, Hint } from '../ui/Panel'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { ConfirmErase } from '../ui/ConfirmErase'

type Page = Schemas['AthletePage']
const field = { bg: 'paper', borderColor: 'hair', h: '38px' } as const

/** Runs a change and tells why it was refused. */
function useChange() {
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const act = async (what: () => Promise<unknown>) => {
    setError('')
    try {
      await what()
      await queries.invalidateQueries()
      return true
    } catch (e) {
      setError((e as Error).message)
      return false
    }
  }
  return { act, error }
}

const where = (n: Schemas['PainNote']) =>
  n.side === 'left' || n.side === 'right' ? `${n.side} ${n.region}` : n.region

function Said({ label, children }: { label: string; children: ReactNode }) {
  return (
    <Box>
      <Text fontSize="12.5px" color="soft">
        {label}
      </Text>
      {children}
    </Box>
  )
}

/** Pain notes: an open one holds all work until somebody who may has cleared it. */
export function Pains({ page, today }: { page: Page; today: string }) {
  const { act, error } = useChange()
  const [adding, setAdding] = useState(false)
  const [clearing, setClearing] = useState('')
  const [erasing, setErasing] = useState('')
  const put = (body: Schemas['PainNote']) => act(() => ask(client.PUT('/api/pain-notes', { body })))
  const add = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k) ?? '')
    if (
      await put({
        id: newId(),
        athleteId: page.athlete.id,
        region: get('region'),
        side: get('side') as 'left',
        words: get('words'),
        noted: get('noted'),
      })
    )
      setAdding(false)
  }
  const clear = async (e: FormEvent<HTMLFormElement>, n: Schemas['PainNote']) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    if (await put({ ...n, cleared: String(f.get('day')), clearedBy: String(f.get('by')) })) setClearing('')
  }
  return (
    <>
      {page.pains.length === 0 && (
        <Hint>
          None. When something hurts, note it: it holds assignments and plans until a clinician has cleared it.
        </Hint>
      )}
      {page.pains.map((n) => (
        <Box key={n.id} mb="8px">
          <Callout tone={n.cleared ? 'grass' : 'plum'}>
            <Text fontWeight="600">
              {where(n)}
              {!n.cleared && (
                <Text as="span" color="plum">
                  {' '}
                  · open, work is held
                </Text>
              )}
            </Text>
            <Text fontSize="13px">
              {n.words && `${n.words}. `}Noted {longDay(n.noted)}
              {n.cleared && `, cleared ${longDay(n.cleared)} by ${n.clearedBy}`}.
            </Text>
          </Callout>
          {!n.cleared &&
            (clearing === n.id ? (
              <chakra.form
                onSubmit={(e) => void clear(e, n)}
                display="flex"
                gap="8px"
                flexWrap="wrap"
                alignItems="flex-end"
                mt="4px"
              >
                <Said label="Cleared by">
                  <Input
                    name="by"
                    aria-label="Cleared by"
                    required
                    placeholder="physician, physiotherapist"
                    {...field}
                  />
                </Said>
                <Said label="On">
                  <Input name="day" aria-label="Cleared on" type="date" required defaultValue={today} {...field} />
                </Said>
                <Button h="38px" main type="submit">
                  Clear it
                </Button>
              </chakra.form>
            ) : (
              <Flex gap="6px" mt="2px">
                <Button h="32px" onClick={() => setClearing(n.id)}>
                  It is cleared…
                </Button>
                <Button h="32px" onClick={() => setErasing(n.id)}>
                  A mistake: erase it…
                </Button>
              </Flex>
            ))}
          {erasing === n.id && (
            <ConfirmErase
              says="The note is erased for good; what hurt and was cleared is better kept."
              yes="Erase it"
              onNo={() => setErasing('')}
              onYes={() =>
                void act(() => ask(client.DELETE('/api/pain-notes/{id}', { params: { path: { id: n.id } } })))
              }
            />
          )}
          {n.cleared && (
            <Button
              h="28px"
              fontSize="12.5px"
              onClick={() => void put({ ...n, cleared: undefined, clearedBy: '' })}
            >
              Open it again
            </Button>
          )}
        </Box>
      ))}
      {adding ? (
        <chakra.form onSubmit={(e) => void add(e)} display="flex" gap="8px" flexWrap="wrap" alignItems="flex-end">
          <Said label="Where">
            <NativeSelect.Root>
              <NativeSelect.Field name="region" aria-label="Region" {...field}>
                {page.regions.map((r) => (
                  <option key={r} value={r}>
                    {r}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Said>
          <Said label="Side">
            <NativeSelect.Root>
              <NativeSelect.Field name="side" aria-label="Side" {...field}>
                {['left', 'right', 'both', 'middle'].map((s) => (
                  <option key={s} value={s}>
                    {s}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Said>
          <Said label="Since">
            <Input name="noted" aria-label="Since" type="date" required defaultValue={today} {...field} />
          </Said>
          <Box flex="1 1 200px">
            <Said label="When and how, in the athlete’s words">
              <Input name="words" aria-label="In the athlete’s words" {...field} />
            </Said>
          </Box>
          <Button h="38px" main type="submit">
            Note it
          </Button>
          <Button h="38px" onClick={() => setAdding(false)}>
            Not now
          </Button>
        </chakra.form>
      ) : (
        <Button h="34px" onClick={() => setAdding(true)}>
          Note pain
        </Button>
      )}
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error}
        </Text>
      )}
      <Hint>A note, no diagnosis: rest it, and leave it to a clinician.</Hint>
    </>
  )
}

/** Goals and how the values run toward them. */
export function Goals({ page, events, today }: { page: Page; events: Schemas['EventName'][]; today: string }) {
  const { act, error } = useChange()
  const [adding, setAdding] = useState(false)
  const [erasing, setErasing] = useState('')
  const [event, setEvent] = useState(page.athlete.events?.[0] ?? events[0]?.id ?? '')
  const kind = events.find((e) => e.id === event)?.kind
  const add = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k) ?? '')
    if (
      await act(() =>
        ask(
          client.POST('/api/goals', {
            body: {
              id: newId(),
              athleteId: page.athlete.id,
              event,
              measure: get('measure'),
              target: get('target'),
              by: get('by'),
            },
          }),
        ),
      )
    )
      setAdding(false)
  }
  return (
    <>
      {page.goals.length === 0 && !adding && (
        <Hint>A mark or a measure to reach by a day; the trend toward it is worked out from what was logged.</Hint>
      )}
      {page.goals.map((g) => (
        <Flex key={g.id} gap="8px" mb="6px" align="flex-start" wrap="wrap">
          <Box flex="1">
            <Callout
              tone={
                g.trend.state === 'reached' || g.trend.state === 'on course'
                  ? 'grass'
                  : g.trend.state === 'not on course'
                    ? 'plum'
                    : 'ochre'
              }
            >
              <Text fontWeight="600">
                {g.target}{' '}
                <Text as="span" fontWeight="400" color="soft">
                  {events.find((e) => e.id === g.event)?.name}
                  {g.measure && `, ${g.name.toLowerCase()}`}, by {longDay(g.by)}
                </Text>
              </Text>
              <Text fontSize="13px">{g.trend.says}.</Text>
            </Callout>
          </Box>
          <Button h="28px" aria-label={`Take off the goal ${g.target}`} onClick={() => setErasing(g.id)}>
            ✕
          </Button>
          {erasing === g.id && (
            <ConfirmErase
              says={`The goal of ${g.target} is taken off.`}
              yes="Take it off"
              onNo={() => setErasing('')}
              onYes={() =>
                void act(() => ask(client.DELETE('/api/goals/{id}', { params: { path: { id: g.id } } })))
              }
            />
          )}
        </Flex>
      ))}
      {adding ? (
        <chakra.form onSubmit={(e) => void add(e)} display="flex" gap="8px" flexWrap="wrap" alignItems="flex-end">
          <Said label="Event">
            <NativeSelect.Root>
              <NativeSelect.Field
                aria-label="Event of the goal"
                {...field}
                value={event}
                onChange={(e) => setEvent(e.currentTarget.value)}
              >
                {events.map((e) => (
                  <option key={e.id} value={e.id}>
                    {e.name}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Said>
          <Said label="What">
            <NativeSelect.Root maxW="230px">
              <NativeSelect.Field name="measure" aria-label="Mark or measure" {...field}>
                {kind && <option value="">mark</option>}
                {page.measures
                  .filter((m) => m.event === event)
                  .map((m) => (
                    <option key={m.key} value={m.key}>
                      {m.name}, {m.keyId.toLowerCase()}
                    </option>
                  ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Said>
          <Said label="Target">
            <Input name="target" aria-label="Target" required w="100px" {...field} />
          </Said>
          <Said label="By">
            <Input name="by" aria-label="By" type="date" required min={today} {...field} />
          </Said>
          <Button h="38px" main type="submit">
            Set it
          </Button>
          <Button h="38px" onClick={() => setAdding(false)}>
            Not now
          </Button>
        </chakra.form>
      ) : (
        <Button h="34px" onClick={() => setAdding(true)}>
          Set a goal
        </Button>
      )}
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error}
        </Text>
      )}
    </>
  )
}

/** Attempts by week; sharp rises are a caution. */
export function Load({ page, events }: { page: Page; events: (id: string) => string }) {
  const most = Math.max(1, ...page.load.map((w) => w.count))
  const rises = page.load.filter((w) => w.rise)
  const sort = (s: Page['load'][number]['sorts'][number]) =>
    `${s.count} ${events(s.event).toLowerCase()}${s.implement ? ` ${s.implement / 1000} kg` : ''}` +
    `${s.hard ? `, ${s.hard} of them hard` : ''}`
  const tell = (w: Page['load'][number]) =>
    `Week of ${longDay(w.from)}: ${w.count === 0 ? 'nothing' : w.sorts.map(sort).join('; ')}`
  if (page.load.length === 0)
    return <Hint>What is logged is counted here by week, event, implement and effort.</Hint>
  return (
    <>
      <Flex
        align="flex-end"
        gap="2px"
        h="70px"
        role="img"
        aria-label={page.load
          .filter((w) => w.count)
          .map(tell)
          .join('. ')}
      >
        {page.load.map((w) => (
          <Box
            key={w.from}
            flex="1"
            title={`${tell(w)}${w.rise ? `. ${w.rise}` : ''}`}
            h="100%"
            display="flex"
            flexDirection="column"
            justifyContent="flex-end"
          >
            <Box
              bg="sky"
              h={`${(100 * (w.count - w.hard)) / most}%`}
              borderTopWidth={w.rise ? '3px' : '0'}
              borderColor="ochre"
            />
            <Box bg="brick" h={`${(100 * w.hard) / most}%`} />
          </Box>
        ))}
      </Flex>
      <Flex justify="space-between" color="soft" fontSize="12.5px" borderTopWidth="1px" borderColor="hair">
        <Text>{longDay(page.load[0].from)}</Text>
        <Text>now</Text>
      </Flex>
      <Text fontSize="12.5px" color="soft">
        Attempts a week; the lower part, in brick, at 90 % effort and more.
      </Text>
      {rises.slice(-2).map((w) => (
        <Callout key={w.from} tone="ochre">
          <Text fontSize="13px">
            Week of {longDay(w.from)}: {w.rise}.
          </Text>
        </Callout>
      ))}
    </>
  )
}
