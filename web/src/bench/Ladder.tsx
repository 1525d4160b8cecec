import { Box, Text, chakra } from '@chakra-ui/react'
import { memo, useEffect, useRef } from 'react'
import { gravest, Shape } from '../shared/Verdict'
import { seconds } from '../shared/format'
import { marksAt, valuesAt, type Desk } from './desk'

/** Where a thumbnail is cut from the picture: round the landmarks, else its middle. */
function cut(desk: Desk, frame: number) {
  const marks = marksAt(desk.bench, frame)
  const width = desk.bench.clip!.width
  const x = marks.length ? marks.reduce((s, m) => s + m.x, 0) / marks.length : width / 2
  return `${Math.min(100, Math.max(0, 130 * (x / width) - 15))}% 60%`
}

/** The key positions down the left edge; going along it is going through the movement. */
export const Ladder = memo(function Ladder({ desk, current, next }: { desk: Desk; current?: string; next?: string }) {
  const here = useRef<HTMLButtonElement>(null)
  useEffect(() => here.current?.scrollIntoView({ block: 'nearest' }), [current])
  const { bench, event, reading } = desk
  const beats = Object.fromEntries(reading?.beats.map((b) => [b.place, b]) ?? [])
  return (
    <Box as="nav" aria-label="Key positions" overflowY="auto" py="6px" borderRightWidth="1px" borderColor="hair" css={{ scrollbarWidth: 'thin' }}>
      {event.keys.map((k) => {
        const frame = bench.stamps[k.id]
        const stamped = frame !== undefined
        const on = k.id === current
        const verdict = gravest(valuesAt(reading, k.id).filter((v) => v.band))
        const wrong = reading?.order.some((o) => o.includes(k.name))
        return (
          <chakra.button key={k.id} ref={on ? here : undefined} onClick={() => desk.visit(k.id)} aria-current={on ? 'step' : undefined}
            aria-label={`${k.name}, ${stamped ? `picture ${frame}` : 'not stamped'}${verdict ? `, ${verdict}` : ''}${wrong ? ', out of order' : ''}`}
            display="flex" w="100%" minH="40px" alignItems="center" gap="7px" pl="9px" pr="6px" py="2px" textAlign="left" cursor="pointer" position="relative"
            bg={on ? 'raised' : 'transparent'} boxShadow={on ? 'inset 3px 0 0 var(--chakra-colors-ink)' : undefined} _hover={{ bg: 'raised' }}>
            <Shape of={stamped ? verdict ?? 'no band' : undefined} size={11} />
            <Box flex="1" minW="0" lineHeight="1.15">
              <Text fontWeight={on || stamped ? 600 : 400} color={stamped || on ? 'ink' : 'soft'} truncate>{k.name}</Text>
              <Text fontSize="11.5px" color={wrong ? 'plum' : 'soft'} truncate={!on}>
                {wrong ? 'out of order' : stamped ? (beats[k.id] ? seconds(beats[k.id].t) : `picture ${frame}`) : k.id === next ? 'next: F' : k.optional ? 'optional' : ''}
              </Text>
            </Box>
            {stamped && (
              <img src={`/api/clips/${bench.clip!.id}/frames/${frame}`} alt="" loading="lazy" width={40} height={30}
                style={{ width: 40, height: 30, objectFit: 'cover', objectPosition: cut(desk, frame), borderRadius: 4, flex: 'none' }} />
            )}
          </chakra.button>
        )
      })}
    </Box>
  )
})
