import { Box, NativeSelect, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { Hint } from '../ui/Panel'
import { ask, client, type Schemas } from '../ui/client'
import { inUnit, longDay, plusMinus } from '../ui/format'
import { Chart } from '../ui/ReportView'

type Name = Schemas['MeasureName']

/** One measure over all attempts, with its ± and its band. */
export function OverTime({
  athlete,
  names,
  events,
  aims,
}: {
  athlete: string
  names: Name[]
  events: (id: string) => string
  aims: string[]
}) {
  const go = useNavigate()
  const several = names.filter((n) => n.n > 1)
  const first =
    aims.map((key) => several.find((n) => n.key === key)).find((n) => n) ??
    [...several].sort((a, b) => b.n - a.n)[0]
  const [picked, setPicked] = useState('')
  const at = several.find((n) => `${n.event} ${n.key}` === picked) ?? first
  const over = useQuery({
    queryKey: ['over', athlete, at?.event, at?.key],
    queryFn: () =>
      ask(
        client.GET('/api/athletes/{id}/measure', {
          params: { path: { id: athlete }, query: { event: at!.event, key: at!.key } },
        }),
      ),
    enabled: !!at,
    placeholderData: (d) => d,
  })
  if (!at) return <Hint>When two attempts are measured, any of their measures can be followed here.</Hint>
  const o = over.data
  return (
    <>
      <NativeSelect.Root maxW="420px" mb="6px">
        <NativeSelect.Field
          aria-label="Measure"
          bg="paper"
          borderColor="hair"
          h="38px"
          value={`${at.event} ${at.key}`}
          onChange={(e) => setPicked(e.currentTarget.value)}
        >
          {[...new Set(several.map((n) => n.event))].map((e) => (
            <optgroup key={e} label={events(e)}>
              {several
                .filter((n) => n.event === e)
                .map((n) => (
                  <option key={n.key} value={`${n.event} ${n.key}`}>
                    {n.name}, {n.keyId.toLowerCase()} ({n.n})
                  </option>
                ))}
            </optgroup>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      {o && o.points.length > 0 && <Line o={o} onPick={(id) => go(`/attempts/${id}/measure`)} />}
      {o && (
        <Text fontSize="13px">
          {o.aim && `Band ${o.aim}. `}
          {o.says && `${o.says}.`}
        </Text>
      )}
    </>
  )
}

function Line({ o, onPick }: { o: Schemas['ValuesOverTime']; onPick: (attempt: string) => void }) {
  const reach = o.points.flatMap((p) => [p.value - 2 * p.u, p.value + 2 * p.u])
  const edges = [o.low, o.high].filter((x): x is number => x !== undefined)
  let [low, high] = [Math.min(...reach), Math.max(...reach)]
  const span = high - low || 1
  for (const e of edges) if (e > low - span && e < high + span) [low, high] = [Math.min(low, e), Math.max(high, e)]
  const room = 0.1 * (high - low || 1)
  low -= room
  high += room
  const y = (v: number) => (v - low) / (high - low)
  // Attempts follow one another at equal steps: seasons lie months apart.
  const x = (i: number) => (o.points.length > 1 ? i / (o.points.length - 1) : 0.5)
  return (
    <Box>
      <Chart
        onPick={(i) => onPick(o.points[i].attempt)}
        b={{
          kind: 'chart',
          low: o.low !== undefined && o.low < high ? Math.max(0, y(o.low)) : undefined,
          high: o.high !== undefined && o.high > low ? Math.min(1, y(o.high)) : undefined,
          points: o.points.map((p, i) => ({
            x: x(i),
            y: y(p.value),
            u: (2 * p.u) / (high - low),
            says: `${longDay(p.day)}: ${inUnit(p.value, o.unit)} ${plusMinus(p.u, o.unit)}`,
          })),
          ends: [
            longDay(o.points[0].day),
            longDay(o.points[o.points.length - 1].day),
            inUnit(low, o.unit),
            inUnit(high, o.unit),
          ],
        }}
      />
    </Box>
  )
}
