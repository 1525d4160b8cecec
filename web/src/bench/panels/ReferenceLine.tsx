import { Flex, NativeSelect, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Button } from '../../ui/Button'
import { ask, client } from '../../ui/client'
import { spoken } from '../../ui/format'
import { followedAt, marksAt, type BenchContext } from '../benchModel'
import { Hint, Section } from '../../ui/Panel'

/** A landmark that is pinned to the world where it was on a picture. */
export type ReferencePoint = { landmark: string; frame: number }

const ahead = 240 // pictures

export const useReferenceLine = (context: BenchContext | undefined, pin: ReferencePoint | undefined) =>
  useQuery({
    queryKey: ['pin', context?.bench.id, context?.bench.version, pin?.landmark, pin?.frame],
    enabled: !!context && !!pin,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      ask(
        client.GET('/api/attempts/{id}/pin', {
          params: {
            path: { id: context!.bench.id },
            query: { landmark: pin!.landmark, frame: pin!.frame, to: pin!.frame + ahead },
          },
        }),
      ),
  })

/** Pins a spot of the world and says how far a joint leaves it. */
export function ReferenceLine({
  context,
  frame,
  pin,
  onPin,
}: {
  context: BenchContext
  frame: number
  pin?: ReferencePoint
  onPin: (p: ReferencePoint | undefined) => void
}) {
  const way = useReferenceLine(context, pin)
  const there = [...marksAt(context.bench, frame), ...followedAt(context.bench, context.paths, frame)]
    .map((m) => m.name)
    .sort()
  const now =
    way.data?.leaves.find((l) => l.frame === frame) ??
    (frame > (pin?.frame ?? Infinity) ? way.data?.leaves.findLast((l) => l.frame < frame) : undefined)
  const most = way.data?.leaves.reduce((a, b) => (b.away > a.away ? b : a))
  const said = (v: number, u: number) =>
    way.data?.unit === 'm'
      ? `${(100 * v).toFixed(1)} ± ${(200 * u).toFixed(1)} cm`
      : `${v.toFixed(1)} ± ${(2 * u).toFixed(1)} % of leg`
  return (
    <Section title="Pin" aside="how far a joint leaves its spot">
      {pin ? (
        <>
          <Text>
            <b>{spoken(pin.landmark)}</b> pinned on picture {pin.frame}.
          </Text>
          {now && (
            <Text role="status">
              On picture {now.frame} it is <b>{said(now.away, now.u)}</b> away{now.where && `, ${now.where}`}.
            </Text>
          )}
          {most && (
            <Text color="soft" fontSize="13px">
              Farthest on picture {most.frame}: {said(most.away, most.u)}.
            </Text>
          )}
          {way.error && (
            <Text role="alert" color="plum" fontSize="13px">
              {way.error.message}.
            </Text>
          )}
          <Flex gap="8px" mt="6px">
            <Button h="32px" onClick={() => context.go(pin.frame)}>
              To its picture
            </Button>
            <Button h="32px" onClick={() => onPin(undefined)}>
              Take the pin off
            </Button>
          </Flex>
        </>
      ) : there.length === 0 ? (
        <Hint>
          On a picture with placed or followed points, a joint can be pinned to its spot: step on and see how far it
          leaves it.
        </Hint>
      ) : (
        <NativeSelect.Root size="sm">
          <NativeSelect.Field
            aria-label="Pin a joint"
            bg="paper"
            borderColor="hair"
            h="40px"
            value=""
            onChange={(e) => e.currentTarget.value && onPin({ landmark: e.currentTarget.value, frame })}
          >
            <option value="">pin here …</option>
            {there.map((n) => (
              <option key={n} value={n}>
                {spoken(n)}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )}
    </Section>
  )
}
