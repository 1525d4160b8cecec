import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import type { Schemas } from './client'
import { Lane } from './Lane'

type Block = Schemas['SheetBlock']
const tones: Record<string, string> = { in: 'grass', near: 'ochre', out: 'plum', plain: 'soft', '': 'ink' }
const tone = (b: Block) => tones[b.kind === 'care' ? 'near' : (b.tone ?? '')]

/** A report, block by block as it is printed. */
export function ReportView({ sheet }: { sheet: Schemas['Sheet'] }) {
  return (
    <Box
      as="article"
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="28px 32px"
      maxW="820px"
      mx="auto"
    >
      <Heading fontSize="24px">{sheet.title}</Heading>
      <Text color="soft" pb="8px" mb="6px" borderBottomWidth="1px" borderColor="hair">
        {sheet.under}
      </Text>
      {sheet.blocks.map((b, i) => (
        <One key={i} b={b} />
      ))}
      <Text color="soft" fontSize="12.5px" mt="18px">
        {sheet.foot}
      </Text>
    </Box>
  )
}

function One({ b }: { b: Block }) {
  switch (b.kind) {
    case 'head':
      return (
        <Heading as="h2" fontSize="16px" mt="18px" mb="6px">
          {b.text}
        </Heading>
      )
    case 'text':
      return (
        <Text mb="4px" color={tone(b)}>
          {b.text}
        </Text>
      )
    case 'soft':
      return (
        <Text mb="4px" color="soft" fontSize="12.5px">
          {b.text}
        </Text>
      )
    case 'bullet':
    case 'care':
      return (
        <Box borderLeftWidth="3px" borderColor={tone(b)} pl="10px" mb="4px">
          <Text>{b.text}</Text>
        </Box>
      )
    case 'cue':
      return (
        <Text color="brick" fontSize="19px" fontWeight="700" my="4px">
          “{b.text}”
        </Text>
      )
    case 'pair':
      return (
        <Flex gap="12px" mb="2px">
          <Text color="soft" w="128px" flex="none">
            {b.under}
          </Text>
          <Text>{b.text}</Text>
        </Flex>
      )
    case 'gauge':
      return b.gauge ? <GaugeRow g={b.gauge} /> : null
    case 'rung':
      return (
        <Box pl={`${18 * (b.depth ?? 0)}px`} mb="2px">
          <Text fontWeight={b.depth ? 400 : 600}>
            {b.depth ? '└ ' : '■ '}
            {b.text}
          </Text>
          {b.under && (
            <Text fontSize="12.5px" color="soft" pl="16px">
              {b.under}
            </Text>
          )}
        </Box>
      )
    case 'table':
      return (
        <Box as="table" w="100%" mb="8px" style={{ borderCollapse: 'collapse' }}>
          <thead>
            <tr>
              {b.rows?.[0].map((h, i) => (
                <Box as="th" key={i} textAlign="left" color="soft" fontWeight="600" p="2px 8px 2px 0">
                  {h}
                </Box>
              ))}
            </tr>
          </thead>
          <tbody>
            {b.rows?.slice(1).map((r, i) => (
              <tr key={i}>
                {r.map((c, j) => (
                  <Box as="td" key={j} p="2px 8px 2px 0" borderTopWidth="1px" borderColor="hair">
                    {c}
                  </Box>
                ))}
              </tr>
            ))}
          </tbody>
        </Box>
      )
    case 'pictures':
      return (
        <Flex gap="8px" wrap="wrap" mb="6px">
          {b.pictures?.map((p) => (
            <Box as="figure" key={p.src} w="140px">
              <img src={p.src} alt={p.caption} loading="lazy" style={{ width: '100%', borderRadius: 6 }} />
              <Text as="figcaption" fontSize="12.5px" color="soft">
                {p.caption}
              </Text>
            </Box>
          ))}
        </Flex>
      )
    case 'score':
      return <Notes b={b} />
    case 'chart':
      return <Chart b={b} />
  }
}

function GaugeRow({ g }: { g: Schemas['SheetGauge'] }) {
  const colour = tones[g.verdict] ?? 'soft'
  return (
    <Flex gap="12px" align="center" py="2px">
      <Text flex="1 1 0" minW="0">
        {g.name}
      </Text>
      <Box w="150px" flex="none">
        <Lane lane={g} colour={colour} />
      </Box>
      <Text w="150px" flex="none">
        <b>{g.value}</b>{' '}
        <Text as="span" color="soft">
          {g.within}
        </Text>
      </Text>
      <Text w="150px" flex="none" color={colour} fontSize="12.5px">
        {g.verdict}
        {g.aim && `, ${g.aim}`}
      </Text>
    </Flex>
  )
}

function Notes({ b }: { b: Block }) {
  return (
    <Box mb="6px">
      <Box
        as="svg"
        role="img"
        aria-label={
          b.contacts
            ?.map((n) => n.says)
            .filter(Boolean)
            .join(', ') || 'footfall'
        }
        {...{ viewBox: '0 0 760 84' }}
        w="100%"
        display="block"
      >
        {[14, 54].map((y) => (
          <line key={y} x1={0} x2={760} y1={y} y2={y} stroke="currentColor" strokeOpacity={0.25} />
        ))}
        {b.contacts?.map((n, i) => (
          <g key={i}>
            <rect
              x={760 * n.from}
              y={(n.line ? 54 : 14) - 6}
              width={Math.max(4, 760 * (n.to - n.from))}
              height={12}
              rx={n.line ? 1 : 6}
              fill={`var(--chakra-colors-${n.line ? 'sky' : 'brick'})`}
            />
            <text x={760 * n.from} y={(n.line ? 54 : 14) + 20} fontSize={12} fill="currentColor" opacity={0.75}>
              {n.says}
            </text>
          </g>
        ))}
      </Box>
      <Ends b={b} />
    </Box>
  )
}

const Ends = ({ b }: { b: Block }) => (
  <Flex justify="space-between" color="soft" fontSize="12.5px">
    <Text>{b.ends?.[0]}</Text>
    <Text>{b.ends?.[1]}</Text>
  </Flex>
)

/** Values over time with their ± and their band. */
export function Chart({ b, onPick }: { b: Block; onPick?: (i: number) => void }) {
  const [w, h] = [760, 150]
  const x = (v: number) => 8 + (w - 90) * v
  const y = (v: number) => 6 + (h - 12) * (1 - Math.min(1, Math.max(0, v)))
  return (
    <Box mb="8px">
      {b.text && <Text fontWeight="600">{b.text}</Text>}
      <Box
        as="svg"
        role="img"
        aria-label={`${b.text ?? 'Values'}: ${b.points?.map((p) => p.says).join(', ')}`}
        {...{ viewBox: `0 0 ${w} ${h}` }}
        w="100%"
        display="block"
      >
        {(b.low !== undefined || b.high !== undefined) && (
          <rect
            x={0}
            width={w - 74}
            y={y(b.high ?? 1)}
            height={Math.max(0, y(b.low ?? 0) - y(b.high ?? 1))}
            fill="var(--chakra-colors-band)"
          />
        )}
        <line x1={0} x2={w - 74} y1={h - 2} y2={h - 2} stroke="currentColor" strokeOpacity={0.3} />
        {b.points?.map((p, i) => (
          <g key={i} onClick={onPick && (() => onPick(i))} style={{ cursor: onPick ? 'pointer' : undefined }}>
            <title>{p.says}</title>
            <line
              x1={x(p.x)}
              x2={x(p.x)}
              y1={y(p.y - p.u)}
              y2={y(p.y + p.u)}
              stroke="currentColor"
              strokeWidth={1.4}
            />
            <circle cx={x(p.x)} cy={y(p.y)} r={4} fill="currentColor" />
            <rect x={x(p.x) - 7} y={0} width={14} height={h} fill="transparent" />
          </g>
        ))}
        {b.ends?.length === 4 && (
          <>
            <text x={w - 68} y={14} fontSize={13} fill="currentColor" opacity={0.75}>
              {b.ends[3]}
            </text>
            <text x={w - 68} y={h - 4} fontSize={13} fill="currentColor" opacity={0.75}>
              {b.ends[2]}
            </text>
          </>
        )}
      </Box>
      <Ends b={b} />
    </Box>
  )
}
