import { Box, CloseButton, Dialog, Flex, Portal, Text } from '@chakra-ui/react'
import type { Event } from '../ui/client'
import { Kbd } from './ControlBar'

const keys: [string[], string][] = [
  [['S', 'D'], 'one picture back, on'],
  [['W', 'E'], 'key position before, after'],
  [['Space'], 'run or hold, at the speed of the pass'],
  [['1', '2', '3', '4'], 'the four passes'],
  [['F'], 'stamp the next key position here'],
  [['G', 'letter'], 'stamp a named one: letters at the right'],
  [['X'], 'take this stamp off'],
  [['Shift S', 'D'], 'move this stamp by a picture'],
  [['A'], 'in Split: take all that is pencilled in'],
  [['Enter'], 'in Measure: confirm the found points of this picture, and on to the next'],
  [['L'], 'leave the loop'],
  [['M'], 'in Watch: as in a mirror'],
  [['B'], 'the body that was fitted to this film, or the picture again'],
  [['Z'], 'undo; with Shift, redo'],
  [['P'], 'to the picture: then arrows move a crosshair or nudge the chosen landmark, with Shift ten times as far'],
  [['P … Enter'], 'place or mark at the crosshair'],
  [['+', '−'], 'closer, farther, on the picture'],
  [['Delete'], 'take the chosen landmark off'],
  [['Esc'], 'leave what is being marked'],
  [['?'], 'this card'],
]

export function KeyCard({ event, open, onClose }: { event: Event; open: boolean; onClose: () => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={(e) => !e.open && onClose()} size="lg">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header>
              <Dialog.Title>Keys</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <Flex gap="32px" wrap="wrap">
                <Box flex="1 1 300px">
                  {keys.map(([k, says]) => (
                    <Flex key={says} gap="8px" mb="6px" align="center">
                      <Flex gap="4px" w="110px" flex="none">
                        {k.map((x) => (
                          <Kbd key={x}>{x}</Kbd>
                        ))}
                      </Flex>
                      <Text>{says}</Text>
                    </Flex>
                  ))}
                </Box>
                <Box flex="0 1 200px">
                  <Text fontWeight="600" mb="4px">
                    After G
                  </Text>
                  {event.keys.map((k) => (
                    <Flex key={k.id} gap="8px" mb="3px">
                      <Box w="26px">
                        <Kbd>{k.letter.toUpperCase()}</Kbd>
                      </Box>
                      <Text>{k.name}</Text>
                    </Flex>
                  ))}
                </Box>
              </Flex>
            </Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
