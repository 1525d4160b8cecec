import { Box, Flex, Text } from '@chakra-ui/react'
import type { Judged } from '../ui/client'
import { inUnit } from '../ui/format'

const classes: Record<string, string> = { P: 'published', C: 'common practice' }

/** How a value came about: formula, what its ± is made of, and the band's source. */
export function Derivation({ v }: { v: Judged }) {
  const most = Math.max(...v.parts.map((p) => p.u), 1e-12)
  return (
    <Box fontSize="13px" bg="paper" borderRadius="8px" p="8px 10px" mt="4px">
      <Text>
        {v.formula}
        {v.seen && `; seen ${v.seen === 'two films' || v.seen.startsWith('points') ? 'in' : 'from'} ${v.seen}`}
      </Text>
      <Text mt="4px">
        {inUnit(v.value, v.unit)}, standard uncertainty u {inUnit(v.u, v.unit)}; shown as ± 2 u. Made of:
      </Text>
      {v.parts
        .filter((p) => p.u > most / 50)
        .sort((a, b) => b.u - a.u)
        .map((p) => (
          <Flex key={p.name} align="center" gap="6px">
            <Text flex="1" minW="0">
              {p.name}
            </Text>
            <Box w="60px" h="5px">
              <Box h="5px" bg="mist" borderRadius="3px" w={`${(100 * p.u) / most}%`} />
            </Box>
            <Text w="62px" textAlign="right">
              {inUnit(p.u, v.unit)}
            </Text>
          </Flex>
        ))}
      {v.band && (
        <Text mt="4px">
          Band {v.aim}
          {v.band.level && `, ${v.band.level}`}
          {v.band.sex && `, ${v.band.sex}`}
          {v.band.school && `, ${v.band.school} spacing`}: {classes[v.band.class]}
          {v.band.source && ` (${v.band.source})`}.
        </Text>
      )}
      {v.why && (
        <Text mt="4px" fontWeight="600">
          {v.why[0].toUpperCase() + v.why.slice(1)}.
        </Text>
      )}
    </Box>
  )
}
