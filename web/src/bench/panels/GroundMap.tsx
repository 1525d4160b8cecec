import { Box, Text } from '@chakra-ui/react'
import type { Schemas } from '../../ui/client'
import { keyName, type BenchContext } from '../benchModel'
import { Hint, Section } from '../../ui/Panel'

type Ground = Schemas['FootprintMap']
type Print = Ground['prints'][number]

const foot = 27 // cm, drawn from heel to toe
const cm = 100

/** Where the feet stood, to scale, the throw or run going up; what the films do not show is left out. */
export function GroundMap({ context, ground }: { context: BenchContext; ground: Ground }) {
  const { prints, margin, missing } = ground
  const of = { ...ground.of, across: cm * ground.of.across }
  const hips = ground.hips.map((h) => ({ x: cm * h.x, y: cm * h.y }))
  const placed = prints.filter((p) => p.x && p.y)
  const along = prints.filter((p) => p.x && !p.y)
  const xs = [...prints.filter((p) => p.x).map((p) => cm * p.x!.value), ...hips.map((h) => h.x)]
  const half =
    of.kind === 'circle' ? of.across / 2 : Math.max(of.across / 2, ...placed.map((p) => cm * Math.abs(p.y!.value)))
  const low = of.kind === 'circle' ? -half : Math.min(-50, ...xs) - 30,
    high = of.kind === 'circle' ? half : Math.max(30, ...xs) + 30
  const pad = 25
  // up on the screen is along the throw; left on the screen is the left of it
  const X = (y: number) => half + pad - y,
    Y = (x: number) => high + pad - x
  const w = 2 * (half + pad),
    h = high - low + 2 * pad
  const front = (p: Print) => context.front(p.foot)
  return (
    <Section
      title="Ground map"
      aside={`to scale · ${ground.mirrored ? 'left-handed, mirrored' : 'as seen from above'}`}
    >
      {prints.length > 0 && (
        <svg
          viewBox={`0 0 ${w} ${h}`}
          width="100%"
          style={{ maxHeight: 340 }}
          role="img"
          aria-label="Ground map; the list below says the same"
        >
          <g fill="none" stroke="var(--chakra-colors-mist)" strokeWidth={2}>
            {of.kind === 'circle' ? (
              <circle cx={X(0)} cy={Y(0)} r={of.across / 2} />
            ) : of.kind === 'apron' ? (
              <path d={`M${X(of.across / 2)} ${Y(0)}H${X(-of.across / 2)}`} strokeWidth={5} />
            ) : (
              <path d={`M${X(of.across / 2)} ${Y(low)}V${Y(0)}H${X(-of.across / 2)}V${Y(low)}`} />
            )}
            {of.kind === 'circle' && <path d={`M${X(half)} ${Y(0)}h-${pad / 2}M${X(-half)} ${Y(0)}h${pad / 2}`} />}
          </g>
          {hips.length > 1 && (
            <polyline
              points={hips.map((p) => `${X(p.y)},${Y(p.x)}`).join(' ')}
              fill="none"
              stroke="var(--chakra-colors-ink)"
              strokeWidth={2}
              strokeDasharray="6 3"
            />
          )}
          {placed.map((p) => {
            const c = `var(--chakra-colors-${front(p) ? 'brick' : 'sky'})`
            const a = ((p.direction?.value ?? 180) * Math.PI) / 180
            const toe = { x: X(cm * p.y!.value), y: Y(cm * p.x!.value) }
            const heel = { x: toe.x + foot * Math.sin(a), y: toe.y - foot * Math.cos(a) }
            return (
              <g key={p.keyId} style={{ cursor: 'pointer' }} onClick={() => context.visit(p.keyId)}>
                <title>
                  {`${keyName(context.event, p.keyId)}: ${p.x!.value.toFixed(2)} ± ` +
                    `${(2 * p.x!.u).toFixed(2)} m along, ${p.y!.value.toFixed(2)} ± ` +
                    `${(2 * p.y!.u).toFixed(2)} m to the free side`}
                </title>
                <ellipse cx={toe.x} cy={toe.y} rx={2 * cm * p.y!.u} ry={2 * cm * p.x!.u} fill={c} opacity={0.18} />
                {p.direction ? (
                  <line
                    x1={heel.x}
                    y1={heel.y}
                    x2={toe.x}
                    y2={toe.y}
                    stroke={c}
                    strokeWidth={9}
                    strokeLinecap={front(p) ? 'round' : 'butt'}
                    opacity={p.lands ? 1 : 0.45}
                  />
                ) : front(p) ? (
                  <circle cx={toe.x} cy={toe.y} r={5} fill={p.lands ? c : 'none'} stroke={c} strokeWidth={2} />
                ) : (
                  <rect
                    x={toe.x - 5}
                    y={toe.y - 5}
                    width={10}
                    height={10}
                    fill={p.lands ? c : 'none'}
                    stroke={c}
                    strokeWidth={2}
                  />
                )}
                {p.lands && (
                  <text x={toe.x + 8} y={toe.y} fontSize={10} fill="var(--chakra-colors-ink)">
                    {keyName(context.event, p.keyId)}
                  </text>
                )}
              </g>
            )
          })}
          {along.map((p) => (
            <g key={p.keyId} style={{ cursor: 'pointer' }} onClick={() => context.visit(p.keyId)}>
              <title>
                {`${keyName(context.event, p.keyId)}: ${p.x!.value.toFixed(2)} ± ` +
                  `${(2 * p.x!.u).toFixed(2)} m along; how far to the side, this film does not show`}
              </title>
              <rect
                x={X(half * 0.5)}
                y={Y(cm * p.x!.value) - 2 * cm * p.x!.u}
                width={half}
                height={4 * cm * p.x!.u}
                fill={`var(--chakra-colors-${front(p) ? 'brick' : 'sky'})`}
                opacity={0.25}
              />
              <path
                d={`M${X(half * 0.5)} ${Y(cm * p.x!.value)}h${half}`}
                stroke={`var(--chakra-colors-${front(p) ? 'brick' : 'sky'})`}
                strokeWidth={2}
                strokeDasharray={front(p) ? undefined : '5 4'}
              />
            </g>
          ))}
        </svg>
      )}
      {margin && (
        <Text fontWeight="600" color={margin.state === 'foul' ? 'plum' : undefined}>
          {(100 * margin.value).toFixed(0)} ± {(200 * margin.u).toFixed(0)} cm inside the {margin.from} at{' '}
          {keyName(context.event, margin.keyId)}
          {margin.state === 'foul' ? ': a foul' : margin.state !== 'inside' && ': can’t tell whether it is a foul'}
        </Text>
      )}
      <Box mt="6px" fontSize="13px">
        {prints.map((p) => (
          <Text key={p.keyId}>
            {keyName(context.event, p.keyId)}:{' '}
            {p.x ? `${p.x.value.toFixed(2)} ± ${(2 * p.x.u).toFixed(2)} m along` : 'along not seen'},{' '}
            {p.y ? `${p.y.value.toFixed(2)} ± ${(2 * p.y.u).toFixed(2)} m aside` : 'aside not seen'}
            {p.direction && `, points to ${p.direction.value.toFixed(0)}° ± ${(2 * p.direction.u).toFixed(0)}`}
          </Text>
        ))}
      </Box>
      {prints.length === 0 && (
        <Hint>Nothing to draw yet. It shows where toes and heels stand at the stamped contacts.</Hint>
      )}
      {missing.slice(0, 3).map((m) => (
        <Hint key={m.what}>To see more: {m.what}.</Hint>
      ))}
    </Section>
  )
}
