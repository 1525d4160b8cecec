import { Box, Flex, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useContext, useState } from 'react'
import { Pills } from '../../ui/Button'
import { ask, client, type Schemas } from '../../ui/client'
import { DialContext, type Dial } from '../../ui/dial'
import type { BenchContext } from '../benchModel'
import { Hint, Section } from '../../ui/Panel'

type Wheel = Schemas['Wheel']
type Spoke = Schemas['Spoke']

const size = 300,
  middle = size / 2,
  outer = 112,
  gap = 26,
  wide = 10
const dials: [Dial, string][] = [
  ['degrees', 'degrees'],
  ['clock-a', '12 at the back'],
  ['clock-b', '12 in the sector'],
]
const faces: Record<Dial, string[]> = {
  degrees: ['0', '90', '180', '270'],
  'clock-a': ['12', '9', '6', '3'],
  'clock-b': ['6', '3', '12', '9'],
}

/**
 * Seen from above with the back of the circle below: a right-hander turns to the
 * right of the back, a left-hander is mirrored once and reads the same.
 */
const on = (azimuth: number, r: number) => {
  const a = (azimuth * Math.PI) / 180
  return { x: middle + r * Math.sin(a), y: middle + r * Math.cos(a) }
}

function arc(from: number, to: number, r: number) {
  const sweep = Math.min(359.9, to - from)
  const a = on(from, r),
    b = on(from + sweep, r)
  return `M${a.x} ${a.y}A${r} ${r} 0 ${sweep > 180 ? 1 : 0} 0 ${b.x} ${b.y}`
}

/** The dial that an account reads. It is kept on the server; this page changes at once. */
export function DialChoice({ dial, onPicked }: { dial: Dial; onPicked?: (d: Dial | undefined) => void }) {
  const queries = useQueryClient()
  const pick = async (d: Dial) => {
    onPicked?.(d)
    try {
      await ask(client.POST('/api/dial', { body: { dial: d } }))
      queries.setQueryData<Schemas['State']>(['state'], (was) => was && { ...was, dial: d })
    } catch {
      onPicked?.(undefined) // as the server has it
    }
  }
  return <Pills label="How directions are read" options={dials} value={dial} onPick={pick} />
}

export function TurnWheel({ context, wheel }: { context: BenchContext; wheel: Wheel }) {
  const kept = useContext(DialContext).dial
  const [picked, setPicked] = useState<Dial>()
  const dial = picked ?? kept
  const [over, setOver] = useState<Spoke>()
  const said = (s: Spoke) =>
    dial === 'degrees'
      ? `${s.degrees.toFixed(0)}° ± ${(2 * s.u).toFixed(0)}`
      : `${dial === 'clock-a' ? s.clockA : s.clockB} o’clock ± ${s.within}`
  const labels = faces[dial].map((_, i) =>
    wheel.rightHanded || dial === 'degrees' ? faces[dial][i] : faces[dial][(4 - i) % 4],
  )
  return (
    <Section
      title="Turn wheel"
      aside={`seen from above · ${wheel.rightHanded ? 'right-handed' : 'left-handed, mirrored'}`}
    >
      <Box mx="-8px">
        <svg
          viewBox={`0 0 ${size} ${size}`}
          width="100%"
          role="img"
          aria-label={`Turn wheel of ${wheel.rings.length} turns; the list below says the same`}
        >
          <path d={`M${middle} 22V${size - 22}M22 ${middle}H${size - 22}`} stroke="var(--chakra-colors-hair)" />
          <g fill="var(--chakra-colors-soft)" fontSize={13} fontWeight={600} textAnchor="middle">
            <text x={middle} y={size - 4}>
              {labels[0]}
            </text>
            <text x={size - 10} y={middle + 4}>
              {labels[1]}
            </text>
            <text x={middle} y={14}>
              {labels[2]}
            </text>
            <text x={11} y={middle + 4}>
              {labels[3]}
            </text>
            <text x={middle + 34} y={14} fontSize={11} fontWeight={400} textAnchor="start">
              sector
            </text>
            <text x={middle + 34} y={size - 5} fontSize={11} fontWeight={400} textAnchor="start">
              back
            </text>
          </g>
          {wheel.rings.map((ring, i) => {
            const r = outer - (wheel.rings.length - 1 - i) * Math.min(gap, 78 / Math.max(1, wheel.rings.length - 1))
            return (
              <g key={ring.turn}>
                <circle
                  cx={middle}
                  cy={middle}
                  r={r}
                  fill="none"
                  stroke="var(--chakra-colors-hair)"
                  strokeWidth={1}
                />
                {ring.arcs.map((a, j) => (
                  <path
                    key={j}
                    d={arc(a.from, a.to, r)}
                    fill="none"
                    stroke={`var(--chakra-colors-${a.feet > 1 ? 'ink' : a.feet === 1 ? 'mist' : 'soft'})`}
                    strokeOpacity={a.feet === 1 ? 0.5 : 1}
                    strokeWidth={wide}
                    strokeDasharray={a.feet === 0 ? '3 4' : undefined}
                  />
                ))}
                {ring.spokes.map((s) => {
                  const p = on(s.azimuth, r)
                  const c =
                    `var(--chakra-colors-` +
                    `${s.what === 'high' || s.what === 'low' ? 'ink' : s.foot === 'pivot' ? 'sky' : 'brick'})`
                  const look = {
                    stroke: c,
                    strokeWidth: 2,
                    fill: s.what === 'down' ? c : 'var(--chakra-colors-paper)',
                  }
                  return (
                    <g
                      key={s.keyId}
                      style={{ cursor: 'pointer' }}
                      onClick={() => context.visit(s.keyId)}
                      onPointerEnter={() => setOver(s)}
                      onPointerLeave={() => setOver(undefined)}
                    >
                      <title>{`${s.name}: ${said(s)}`}</title>
                      <circle cx={p.x} cy={p.y} r={12} fill="transparent" />
                      {s.what === 'high' ? (
                        <path d={`M${p.x - 5} ${p.y + 4}h10l-5-9z`} {...look} />
                      ) : s.what === 'low' ? (
                        <path d={`M${p.x - 5} ${p.y - 4}h10l-5 9z`} {...look} />
                      ) : s.what === 'release' ? (
                        <path d={`M${p.x} ${p.y - 6}l6 6-6 6-6-6z`} {...look} stroke="var(--chakra-colors-ink)" />
                      ) : s.foot === 'pivot' ? (
                        <rect x={p.x - 5} y={p.y - 5} width={10} height={10} {...look} />
                      ) : (
                        <circle cx={p.x} cy={p.y} r={5.5} {...look} />
                      )}
                    </g>
                  )
                })}
              </g>
            )
          })}
          <circle
            cx={middle}
            cy={middle}
            r={26}
            fill="var(--chakra-colors-raised)"
            stroke="var(--chakra-colors-hair)"
          />
          <text x={middle} y={middle + 4} textAnchor="middle" fontSize={12} fill="var(--chakra-colors-soft)">
            {over ? `turn ${wheel.rings.find((r) => r.spokes.includes(over))?.turn}` : 'turns'}
          </text>
        </svg>
      </Box>
      <Flex gap="10px" wrap="wrap" fontSize="12.5px" color="soft" mb="6px">
        <span>▬ both feet</span>
        <span style={{ opacity: 0.6 }}>▬ one foot</span>
        <span>┅ no foot</span>
        <span>○ foot off</span>
        <span>● foot down</span>
        <span>△ high</span>
        <span>▽ low</span>
        <span>◇ release</span>
      </Flex>
      <DialChoice dial={dial} onPicked={setPicked} />
      {wheel.rings.length === 0 && (
        <Hint>
          Stamp the turns, and follow the implement over them, seen from behind or in two films: then it is drawn.
        </Hint>
      )}
      {wheel.rings.map((ring) => (
        <Box key={ring.turn} mt="8px">
          <Text fontWeight="600">turn {ring.turn}</Text>
          {ring.spokes.map((s) => (
            <Flex key={s.keyId} justify="space-between" fontSize="13px">
              <Text>{s.name.replace(/ \d+$/, '')}</Text>
              <Text fontWeight="600">{said(s)}</Text>
            </Flex>
          ))}
        </Box>
      ))}
    </Section>
  )
}
