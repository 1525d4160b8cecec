import { Box, Flex, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { Hint } from '../ui/Panel'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { resultText } from '../ui/result'

/** All attempts of an athlete, a page at a time. */
export function Attempts({
  athlete,
  total,
  events,
}: {
  athlete: string
  total: number
  events: [string, string][]
}) {
  const [event, setEvent] = useState('')
  const list = useInfiniteQuery({
    queryKey: ['attempts of', athlete, event],
    initialPageParam: '',
    queryFn: ({ pageParam }) =>
      ask(
        client.GET('/api/athletes/{id}/attempts', {
          params: { path: { id: athlete }, query: { event: event || undefined, after: pageParam || undefined } },
        }),
      ),
    getNextPageParam: (last) => last.next,
  })
  return (
    <>
      <Flex gap="10px" align="center" mb="6px">
        <Text color="soft" flex="1">
          {total} in all, the latest first
        </Text>
        <NativeSelect.Root w="190px">
          <NativeSelect.Field
            aria-label="Attempts of which event"
            bg="paper"
            borderColor="hair"
            h="36px"
            value={event}
            onChange={(e) => setEvent(e.currentTarget.value)}
          >
            <option value="">all events</option>
            {events.map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>
      {total === 0 && <Hint>None yet. Note one in the log, or add a clip on Today.</Hint>}
      <Box as="ul" listStyleType="none" maxH="420px" overflowY="auto" pr="10px">
        {list.data?.pages
          .flatMap((p) => p.items)
          .map((a) => (
            <li key={a.id}>
              <Link to={`/attempts/${a.id}/watch`}>
                <Flex gap="10px" py="5px" borderTopWidth="1px" borderColor="hair" _hover={{ bg: 'raised' }}>
                  <Text w="150px" flex="none">
                    {longDay(a.day)}, {a.number}
                  </Text>
                  <Text flex="1" truncate>
                    {events.find(([id]) => id === a.event)?.[1] ?? a.event}
                    {a.details.implementG ? ` ${a.details.implementG / 1000} kg` : ''} · {a.place}
                    {a.film && ' · measured'}
                  </Text>
                  <Text fontWeight="600" color={a.mark?.foul ? 'plum' : 'ink'}>
                    {resultText(a.mark)}
                  </Text>
                </Flex>
              </Link>
            </li>
          ))}
        {list.hasNextPage && (
          <Button mt="8px" h="34px" disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            More
          </Button>
        )}
      </Box>
    </>
  )
}

/** Key strips of two attempts, one above the other. */
export function Strips({ list, events }: { list: Schemas['LogRow'][]; events: (id: string) => string }) {
  const [[top, below], setPair] = useState([list[0]?.id ?? '', list[1]?.id ?? ''])
  if (list.length === 0) return <Hint>Stamped attempts show their key strips here.</Hint>
  const choose = (which: 0 | 1) => (
    <NativeSelect.Root maxW="380px" my="4px">
      <NativeSelect.Field
        aria-label={which ? 'Lower strip' : 'Upper strip'}
        bg="paper"
        borderColor="hair"
        h="36px"
        value={which ? below : top}
        onChange={(e) => setPair(which ? [top, e.currentTarget.value] : [e.currentTarget.value, below])}
      >
        {which === 1 && <option value="">none</option>}
        {list.map((a) => (
          <option key={a.id} value={a.id}>
            {events(a.event)} {a.number}, {longDay(a.day)}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
  const strip = (id: string) =>
    id && (
      <Box overflowX="auto" borderRadius="8px">
        <chakra.a href={`/api/attempts/${id}/strip.png`} target="_blank" rel="noopener">
          <img
            src={`/api/attempts/${id}/strip.png`}
            alt={`Key strip of ${list.find((a) => a.id === id)?.day}`}
            loading="lazy"
            style={{ height: 250, maxWidth: 'none' }}
          />
        </chakra.a>
      </Box>
    )
  return (
    <>
      {choose(0)}
      {strip(top)}
      {list.length > 1 && (
        <>
          {choose(1)}
          {strip(below)}
        </>
      )}
    </>
  )
}
