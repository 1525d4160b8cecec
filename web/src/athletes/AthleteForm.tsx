import { Box, CloseButton, Dialog, Flex, Portal, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { hangs } from '../ui/format'
import { AthleteFields, athleteOf, type Athlete } from '../ui/AthleteFields'
import { ConfirmErase } from '../ui/ConfirmErase'

/** Changes an athlete, or erases them with all that hangs on them. */
export function AthleteDialog({
  athlete,
  events,
  onClose,
}: {
  athlete: Athlete
  events: Schemas['EventName'][]
  onClose: () => void
}) {
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const [asked, setAsked] = useState(false)
  const path = { params: { path: { id: athlete.id } } }
  const holdings = useQuery({
    queryKey: ['athlete holdings', athlete.id],
    queryFn: () => ask(client.GET('/api/athletes/{id}/holdings', path)),
    enabled: asked,
  })
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
    void act(() =>
      ask(
        client.PUT('/api/athletes/{id}', {
          ...path,
          body: { ...athleteOf(athlete.id, f), version: athlete.version },
        }),
      ),
    )
  }
  return (
    <Dialog.Root open onOpenChange={(e) => !e.open && onClose()} size="lg">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header>
              <Dialog.Title>{athlete.name}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <form onSubmit={submit}>
                <AthleteFields of={athlete} events={events} />
                {error && (
                  <Text role="alert" color="plum" mt="10px" fontWeight="600">
                    {error}
                  </Text>
                )}
                <Flex gap="10px" mt="16px" align="center">
                  <Button main type="submit">
                    Keep the changes
                  </Button>
                  <Button onClick={onClose}>Leave it</Button>
                  <Box flex="1" />
                  <a href={`/api/athletes/${athlete.id}/held.zip`} download style={{ textDecoration: 'underline' }}>
                    All that is held, ZIP
                  </a>
                  <Button onClick={() => setAsked(true)}>Erase…</Button>
                </Flex>
              </form>
              {asked && holdings.data && (
                <ConfirmErase
                  says={
                    `With ${athlete.name} go ${hangs({ ...holdings.data, athletes: 0 })}: films, numbers and ` +
                    `plans, from the disk too. Backups that you made keep theirs. This cannot be undone.`
                  }
                  yes="Erase all of it"
                  onNo={() => setAsked(false)}
                  onYes={() => act(() => ask(client.DELETE('/api/athletes/{id}', path)))}
                />
              )}
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

/** Adds an athlete. */
export function NewAthlete({ events, onClose }: { events: Schemas['EventName'][]; onClose: () => void }) {
  const queries = useQueryClient()
  const [id] = useState(() => newId())
  const [error, setError] = useState('')
  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    try {
      await ask(client.POST('/api/athletes', { body: athleteOf(id, new FormData(e.currentTarget)) }))
      await queries.invalidateQueries()
      onClose()
    } catch (err) {
      setError((err as Error).message)
    }
  }
  return (
    <Dialog.Root open onOpenChange={(e) => !e.open && onClose()} size="lg">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header>
              <Dialog.Title>New athlete</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <form onSubmit={submit}>
                <AthleteFields events={events} />
                {error && (
                  <Text role="alert" color="plum" mt="10px" fontWeight="600">
                    {error}
                  </Text>
                )}
                <Flex gap="10px" mt="16px">
                  <Button main type="submit">
                    Add
                  </Button>
                  <Button onClick={onClose}>Leave it</Button>
                </Flex>
              </form>
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
