import { Box } from '@chakra-ui/react'
import type { Event } from './event'

const row = 30,
  box = 138,
  gap = 44

/** The faults as a map: each stands where it happens, its causes at its left. */
export function Chain({ e, onFault }: { e: Event; onFault: (id: string) => void }) {
  // A column further right than every cause, so that arrows run forward.
  const depth = new Map<string, number>()
  const of = (id: string, trail: string[]): number => {
    if (trail.includes(id)) return 0 // what goes round in turns
    const known = depth.get(id)
    if (known !== undefined) return known
    const from = Object.keys(e.faults.find((f) => f.id === id)?.from ?? {}).filter((c) =>
      e.faults.some((f) => f.id === c),
    )
    const d = from.length === 0 ? 1 : 1 + Math.max(...from.map((c) => of(c, [...trail, id])))
    depth.set(id, d)
    return d
  }
  for (const f of e.faults) of(f.id, [])
  const nodes = e.nodes ?? []
  const last = 1 + Math.max(1, ...depth.values())
  const items = [
    ...nodes.filter((n) => n.kind !== 'outcome').map((n) => ({ id: n.id, name: n.name, kind: n.kind, column: 0 })),
    ...e.faults.map((f) => ({ id: f.id, name: f.name, kind: 'fault', column: depth.get(f.id)! })),
    ...nodes
      .filter((n) => n.kind === 'outcome')
      .map((n) => ({ id: n.id, name: n.name, kind: 'outcome', column: last })),
  ]
  const columns = Array.from({ length: last + 1 }, (_, c) => items.filter((i) => i.column === c))
  const most = Math.max(...columns.map((c) => c.length))
  const tall = most * row + 12,
    wide = (last + 1) * box + last * gap
  const at = new Map(
    columns.flatMap((c, x) =>
      c.map((i, y) => [i.id, { x: x * (box + gap), y: ((y + 0.5) * tall) / c.length }] as const),
    ),
  )
  const edges = [
    ...e.faults.flatMap((f) => Object.entries(f.from ?? {}).map(([c, w]) => [c, f.id, w] as const)),
    ...nodes.flatMap((n) => [
      ...Object.entries(n.from ?? {}).map(([c, w]) => [c, n.id, w] as const),
      ...(n.to ?? []).map((t) => [n.id, t, 1] as const),
    ]),
  ]
  return (
    <Box
      overflowX="auto"
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="8px"
      tabIndex={0}
      role="group"
      aria-label="Causes and effects; each fault below says the same in words"
    >
      <svg
        viewBox={`0 0 ${wide} ${tall}`}
        width={wide}
        style={{ maxWidth: 'none', display: 'block' }}
        role="img"
        aria-label={`${e.name}: causes and effects`}
      >
        {edges.map(([a, b, w]) => {
          const p = at.get(a),
            q = at.get(b)
          if (!p || !q) return null
          const x1 = p.x + box,
            x2 = q.x,
            back = x2 <= x1
          const mid = back ? Math.min(tall - 4, Math.max(p.y, q.y) + 18) : (p.y + q.y) / 2
          return (
            <path
              key={a + b}
              d={
                back
                  ? `M${p.x + box / 2} ${p.y + 10}Q${(p.x + q.x + box) / 2} ${mid} ${q.x + box / 2} ${q.y + 10}`
                  : `M${x1} ${p.y}C${x1 + 30} ${p.y} ${x2 - 30} ${q.y} ${x2} ${q.y}`
              }
              fill="none"
              stroke="var(--chakra-colors-plum)"
              strokeOpacity={0.35}
              strokeWidth={0.6 + 2.4 * w}
              strokeDasharray={back ? '4 3' : undefined}
            />
          )
        })}
        {items.map((i) => {
          const p = at.get(i.id)!
          const fault = i.kind === 'fault'
          return (
            <g key={i.id} style={{ cursor: fault ? 'pointer' : 'default' }} onClick={() => fault && onFault(i.id)}>
              <title>{i.name}</title>
              <rect
                x={p.x}
                y={p.y - 11}
                width={box}
                height={22}
                rx={i.kind === 'habit' || i.kind === 'setting' ? 11 : i.kind === 'outcome' ? 0 : 5}
                fill="var(--chakra-colors-paper)"
                stroke={`var(--chakra-colors-${fault ? 'ink' : 'hair'})`}
              />
              <text
                x={p.x + box / 2}
                y={p.y + 4}
                textAnchor="middle"
                fontSize={11}
                fontWeight={fault ? 600 : 400}
                fill={`var(--chakra-colors-${fault ? 'ink' : 'soft'})`}
              >
                {i.name.length > 25 ? i.name.slice(0, 24) + '…' : i.name}
              </text>
            </g>
          )
        })}
      </svg>
    </Box>
  )
}
