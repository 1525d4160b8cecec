import { Flex, NativeSelect, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { ask, client, type Schemas } from '../ui/client'
import { LiveStage } from '../figure/LiveStage'
import { nameOf, type Event } from './event'

/** The simulated athlete clean and with a fault, side by side, to be turned. */
export function CleanBesideFaulty({
  e,
  variant,
  fault,
  onFault,
}: {
  e: Event
  variant: string
  fault?: string
  onFault: (id: string) => void
}) {
  const menu = useQuery({ queryKey: ['sim'], queryFn: () => ask(client.GET('/api/sim')), staleTime: Infinity })
  const known = menu.data?.events.find((x) => x.id === e.id)?.faults ?? []
  const shown = known.find((f) => f.id === fault) ?? known[0]
  const [place, setPlace] = useState<string>()
  const at = place ?? e.faults.find((f) => f.id === shown?.id)?.at
  const wish = (faults: Record<string, number>): Schemas['SimRequest'] => ({
    event: e.id,
    variant,
    level: 'trained',
    side: 'R',
    sex: 'woman',
    heightM: 1.74,
    seed: 0,
    faults,
    view: e.views[0],
    rate: 120,
    distance: 14,
    offSquare: 0,
  })
  const motion = (faults: Record<string, number>, wanted: boolean) => ({
    queryKey: ['sim motion', e.id, variant, faults],
    enabled: wanted,
    staleTime: Infinity,
    retry: false,
    queryFn: () => ask(client.POST('/api/sim/motion', { body: wish(faults) })),
  })
  const clean = useQuery(motion({}, !!shown)),
    faulty = useQuery(motion(shown ? { [shown.id]: 0.9 } : {}, !!shown))
  if (!shown) return <Text color="soft">The simulated athlete shows none of these faults.</Text>
  const stamps = (clean.data as { stamps?: Record<string, number> } | undefined)?.stamps ?? {}
  const spot = at !== undefined ? (stamps[at] ?? stamps[`${at}#1`]) : undefined
  return (
    <>
      <Flex gap="10px" mb="8px" wrap="wrap">
        <NativeSelect.Root w="240px">
          <NativeSelect.Field
            aria-label="Fault shown"
            bg="paper"
            borderColor="hair"
            h="40px"
            value={shown.id}
            onChange={(x) => {
              onFault(x.currentTarget.value)
              setPlace(undefined)
            }}
          >
            {known.map((f) => (
              <option key={f.id} value={f.id}>
                {e.faults.find((y) => y.id === f.id)?.name ?? f.id}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <NativeSelect.Root w="200px">
          <NativeSelect.Field
            aria-label="Key position shown"
            bg="paper"
            borderColor="hair"
            h="40px"
            value={at ?? ''}
            onChange={(x) => setPlace(x.currentTarget.value)}
          >
            {[...new Set([...(at ? [at] : []), ...e.keys.map((k) => k.id)])].map((k) => (
              <option key={k} value={k}>
                {nameOf(e, k)}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>
      {(clean.error ?? faulty.error) && (
        <Text role="alert" color="plum">
          {(clean.error ?? faulty.error)!.message}
        </Text>
      )}
      {clean.data && faulty.data ? (
        <LiveStage motion={clean.data} beside={faulty.data} at={spot} label={`${e.name}: clean, and ${shown.id}`} />
      ) : (
        <Text role="status" color="soft" py="40px">
          The two movements are being worked out…
        </Text>
      )}
    </>
  )
}
