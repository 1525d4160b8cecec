import { Box, Flex, Heading, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { v7 as newId } from 'uuid'
import { AppHeader } from '../ui/AppHeader'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { Hint } from '../ui/Panel'
import { iso, monday, plus } from './days'
import { ItemDialog, NewDialog, PhasesDialog } from './dialogs'
import { usePlan, type Item } from './plan'
import { WeekGrid } from './WeekGrid'

/** The plan over the weeks: what each day asks for, and what speaks against it. */
export function CalendarPage({ who }: { who: Schemas['State'] }) {
  const [query, setQuery] = useSearchParams()
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const now = today.data?.day ?? iso(new Date())
  const from = monday(query.get('day') ?? now)
  const athlete = query.get('athlete') ?? ''
  const { plan, error, to, said, change, add, erase, refresh } = usePlan(from, athlete)
  const [open, setOpen] = useState<Item | { day: string }>()
  const [phases, setPhases] = useState(false)
  const look = (more: Record<string, string>) => {
    const next = new URLSearchParams(query)
    for (const [k, v] of Object.entries(more))
      if (v) next.set(k, v)
      else next.delete(k)
    setQuery(next)
  }
  const copy = (item: Item, day: string) =>
    add({ ...item, id: newId(), day, state: 'planned', version: 0 }, `Copied to ${longDay(day)}`)
  const close = () => setOpen(undefined)
  return (
    <Box minH="100%">
      <AppHeader />
      <Box p="16px 20px">
        <Flex gap="10px" align="center" wrap="wrap" mb="8px">
          <Heading fontSize="21px">Calendar</Heading>
          <Button h="36px" aria-label="Four weeks earlier" onClick={() => look({ day: plus(from, -28) })}>
            ‹
          </Button>
          <Button h="36px" onClick={() => look({ day: '' })}>
            This week
          </Button>
          <Button h="36px" aria-label="Four weeks later" onClick={() => look({ day: plus(from, 28) })}>
            ›
          </Button>
          <NativeSelect.Root w="210px">
            <NativeSelect.Field
              aria-label="Whose plan"
              bg="raised"
              borderColor="hair"
              h="36px"
              value={athlete}
              onChange={(e) => look({ athlete: e.currentTarget.value })}
            >
              <option value="">everybody</option>
              {today.data?.athletes.map((a) => (
                <option key={a.id} value={a.id}>
                  {a.name}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Box flex="1" />
          <Button h="36px" onClick={() => setPhases(true)}>
            Season
          </Button>
          <chakra.a
            href={`/api/plan.ics${athlete ? `?athlete=${athlete}` : ''}`}
            borderWidth="1px"
            borderColor="hair"
            bg="raised"
            borderRadius="9px"
            h="36px"
            px="14px"
            fontWeight="600"
            display="inline-flex"
            alignItems="center"
          >
            iCalendar
          </chakra.a>
        </Flex>
        <Flex role="status" minH="28px" align="center" gap="10px">
          {said ? (
            <>
              <Text color={said.bad ? 'plum' : 'ink'} fontWeight={said.bad ? '600' : '400'}>
                {said.text}.
              </Text>
              {said.undo && (
                <Button h="28px" onClick={said.undo}>
                  Undo
                </Button>
              )}
            </>
          ) : (
            <Hint>
              Drag a line to another day, or carry it with Space and the arrows; with Ctrl it is copied. Press a
              line to change, skip or finish it, a day’s number to add one.
            </Hint>
          )}
        </Flex>
        {error && (
          <Text role="alert" color="plum">
            {error.message}
          </Text>
        )}
        <WeekGrid
          from={from}
          to={to}
          now={now}
          plan={plan}
          athlete={athlete}
          onOpen={setOpen}
          onNew={(day) => setOpen({ day })}
          onMove={(item, day, copied) =>
            void (copied ? copy(item, day) : change(item, { day }, `Moved to ${longDay(day)}`))
          }
        />
        {plan && plan.items.length === 0 && (
          <Box mt="10px">
            <Hint>
              Nothing is planned in these weeks. Assign a cue to an attempt and lay its work out, or add a line on a
              day.
            </Hint>
          </Box>
        )}
      </Box>
      {open && 'id' in open && (
        <ItemDialog
          item={open}
          cautions={plan?.cautions.filter((c) => c.item === open.id) ?? []}
          onClose={close}
          onChange={(more, text) => {
            close()
            void change(open, more, text)
          }}
          onCopy={(day) => {
            close()
            void copy(open, day)
          }}
          onErase={() => {
            close()
            void erase(open)
          }}
        />
      )}
      {open && !('id' in open) && today.data && (
        <NewDialog
          day={open.day}
          athletes={today.data.athletes}
          athlete={athlete}
          onClose={close}
          onAdd={(i) => {
            close()
            void add(i, `Added on ${longDay(i.day)}`)
          }}
        />
      )}
      {phases && plan && (
        <PhasesDialog
          mine={who.role === 'owner'}
          phases={plan.phases}
          onClose={() => setPhases(false)}
          onChanged={refresh}
        />
      )}
    </Box>
  )
}
