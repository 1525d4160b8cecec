import { Box, Flex, Input, NativeSelect, Popover, Portal, Text, chakra } from '@chakra-ui/react'
import { useState, type FormEvent } from 'react'
import { Act } from '../shared/Act'
import type { Schemas } from '../shared/client'
import type { Desk } from './desk'

/** A mark as it is shown: the distance, and how it was lost. */
export function markSays(m?: Schemas['MarkSaid']) {
  if (!m) return ''
  return m.foul ? `✕ ${m.foul}${m.text && `, ${m.text}`}` : m.text
}

const like: Record<string, string> = { distance: '61.25 or 200\' 11¼"', height: '2.05 or 6\' 8¾"', time: '11.42' }

/** What the attempt was worth, and how it was lost, at the top of the Bench. */
export function Worth({ desk }: { desk: Desk }) {
  const { bench, event, send } = desk
  const [open, setOpen] = useState(false)
  const fouls = event.mark.fouls ?? []
  if (!event.mark.kind && fouls.length === 0) return null
  const keep = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    send({ kind: 'mark', worth: { text: String(f.get('mark') ?? '').trim(), foul: String(f.get('foul') ?? '') } })
    setOpen(false)
  }
  return (
    <Popover.Root open={open} onOpenChange={(e) => setOpen(e.open)} lazyMount unmountOnExit>
      <Popover.Trigger asChild>
        <chakra.button h="36px" px="8px" borderRadius="8px" fontWeight="600" cursor="pointer" whiteSpace="nowrap" maxW="240px" truncate color={bench.mark ? (bench.mark.foul ? 'plum' : 'ink') : 'soft'} _hover={{ bg: 'raised' }} title={bench.mark?.imperial || 'What the attempt was worth'}>
          {markSays(bench.mark) || (event.mark.kind ? 'add its mark' : 'clean or foul?')}
        </chakra.button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" w="300px">
            <Popover.Body p="14px">
              <form onSubmit={keep}>
                {event.mark.kind && (
                  <Box mb="8px"><Text fontSize="12.5px" color="soft">Mark, as in {like[event.mark.kind]}</Text>
                    <Input name="mark" aria-label="Mark" autoFocus autoComplete="off" inputMode="text" bg="paper" borderColor="hair" h="40px" defaultValue={bench.mark?.text ?? ''} /></Box>
                )}
                <Text fontSize="12.5px" color="soft">Foul</Text>
                <NativeSelect.Root>
                  <NativeSelect.Field name="foul" aria-label="Foul" bg="paper" borderColor="hair" h="40px" defaultValue={bench.mark?.foul ?? ''}>
                    <option value="">none</option>
                    {fouls.map((f) => <option key={f} value={f}>{f}</option>)}
                  </NativeSelect.Field>
                  <NativeSelect.Indicator />
                </NativeSelect.Root>
                {bench.mark?.imperial && <Text fontSize="12.5px" color="soft" mt="6px">{bench.mark.text} is {bench.mark.imperial}, each rounded down.</Text>}
                <Flex gap="8px" mt="10px"><Act main type="submit">Keep</Act><Act onClick={() => setOpen(false)}>Not now</Act></Flex>
              </form>
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  )
}
