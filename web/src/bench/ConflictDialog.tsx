import { Dialog, Portal, Text } from '@chakra-ui/react'
import { Button } from '../ui/Button'

/** Somebody else changed the attempt: the coach decides what becomes of the own change. */
export function ConflictDialog({ what, onSettle }: { what: string; onSettle: (mineAgain: boolean) => void }) {
  return (
    <Dialog.Root open role="alertdialog" closeOnEscape={false} closeOnInteractOutside={false}>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header>
              <Dialog.Title>Changed elsewhere meanwhile</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <Text>
                This attempt was changed in another window or by another person since you opened it. Your last
                change ({what}) is not stored yet.
              </Text>
            </Dialog.Body>
            <Dialog.Footer>
              <Button onClick={() => onSettle(false)}>Keep theirs</Button>
              <Button main onClick={() => onSettle(true)}>
                Take theirs, make mine again
              </Button>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
