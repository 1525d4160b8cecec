import { Box, Flex, Input, NativeSelect, Popover, Portal, Text, chakra } from '@chakra-ui/react'
import { useState, type FormEvent } from 'react'
import { Button } from '../ui/Button'
import type { BenchContext } from './benchModel'
import { resultText } from '../ui/result'

const like: Record<string, string> = { distance: '61.25 or 200\' 11¼"', height: '2.05 or 6\' 8¾"', time: '11.42' }

/** What the attempt was worth, and how it was lost, at the top of the Bench. */
export function MarkPopover({ context }: { context: BenchContext }) {
  const { bench, event, send } = context
  const [open, setOpen] = useState(false)
  const [wrong, setWrong] = useState(false)
  const fouls = event.mark.fouls ?? []
  const d = bench.details
  const keep = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const text = (k: string) => String(f.get(k) ?? '').trim()
    const number = (k: string) => (text(k) ? Number(text(k).replace(',', '.').replace('−', '-')) : undefined)
    const more = {
      implementG: number('kg') === undefined ? undefined : Math.round(1000 * number('kg')!),
      wind: number('wind'),
      effort: number('effort'),
      rpe: number('rpe'),
      landedDeg: number('landed'),
      boardCm: number('board'),
    }
    if (Object.values(more).some((v) => v !== undefined && Number.isNaN(v))) return setWrong(true)
    const worth = { text: text('mark'), foul: text('foul') }
    if (worth.text !== (bench.mark?.text ?? '') || worth.foul !== (bench.mark?.foul ?? ''))
      send({ kind: 'result', result: worth })
    if (Object.entries(more).some(([k, v]) => v !== bench.details[k as keyof typeof more]))
      send({ kind: 'details', details: more })
    setOpen(false)
  }
  return (
    <Popover.Root open={open} onOpenChange={(e) => setOpen(e.open)} lazyMount unmountOnExit>
      <Popover.Trigger asChild>
        <chakra.button
          h="36px"
          px="8px"
          borderRadius="8px"
          fontWeight="600"
          cursor="pointer"
          whiteSpace="nowrap"
          maxW="240px"
          truncate
          color={bench.mark ? (bench.mark.foul ? 'plum' : 'ink') : 'soft'}
          _hover={{ bg: 'raised' }}
          title={bench.mark?.imperial || 'What the attempt was worth'}
        >
          {resultText(bench.mark) || (event.mark.kind ? 'add its mark' : 'clean or foul?')}
        </chakra.button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" w="300px">
            <Popover.Body p="14px">
              <form onSubmit={keep}>
                {event.mark.kind && (
                  <Box mb="8px">
                    <Text fontSize="12.5px" color="soft">
                      Mark, as in {like[event.mark.kind]}
                    </Text>
                    <Input
                      name="mark"
                      aria-label="Mark"
                      autoFocus
                      autoComplete="off"
                      inputMode="text"
                      bg="paper"
                      borderColor="hair"
                      h="40px"
                      defaultValue={bench.mark?.text ?? ''}
                    />
                  </Box>
                )}
                <Text fontSize="12.5px" color="soft">
                  Foul
                </Text>
                <NativeSelect.Root>
                  <NativeSelect.Field
                    name="foul"
                    aria-label="Foul"
                    bg="paper"
                    borderColor="hair"
                    h="40px"
                    defaultValue={bench.mark?.foul ?? ''}
                  >
                    <option value="">none</option>
                    {fouls.map((f) => (
                      <option key={f} value={f}>
                        {f}
                      </option>
                    ))}
                  </NativeSelect.Field>
                  <NativeSelect.Indicator />
                </NativeSelect.Root>
                {bench.mark?.imperial && (
                  <Text fontSize="12.5px" color="soft" mt="6px">
                    {bench.mark.text} is {bench.mark.imperial}, each rounded down.
                  </Text>
                )}
                <details>
                  <summary style={{ cursor: 'pointer', minHeight: 32, lineHeight: '32px' }}>
                    Implement, wind, effort
                  </summary>
                  <Flex gap="8px" wrap="wrap">
                    {(
                      [
                        ['kg', 'implement, kg', d.implementG === undefined ? '' : d.implementG / 1000],
                        ['wind', 'wind, m/s', d.wind ?? ''],
                        ['effort', 'effort, %', d.effort ?? ''],
                        ['rpe', 'felt, 1–10', d.rpe ?? ''],
                        ['landed', 'landed, ° from middle', d.landedDeg ?? ''],
                        ['board', 'to the board, cm', d.boardCm ?? ''],
                      ] as const
                    ).map(([name, label, value]) => (
                      <Box key={name} w="124px">
                        <Text fontSize="12.5px" color="soft">
                          {label}
                        </Text>
                        <Input
                          name={name}
                          aria-label={label}
                          bg="paper"
                          borderColor="hair"
                          h="36px"
                          defaultValue={value}
                        />
                      </Box>
                    ))}
                  </Flex>
                </details>
                {wrong && (
                  <Text role="alert" color="plum">
                    These are numbers: write them as in 8 or −1.3.
                  </Text>
                )}
                <Flex gap="8px" mt="10px">
                  <Button main type="submit">
                    Keep
                  </Button>
                  <Button onClick={() => setOpen(false)}>Not now</Button>
                </Flex>
              </form>
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  )
}
