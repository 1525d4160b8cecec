import { Box } from '@chakra-ui/react'
import type { Schemas } from './client'

/** A value as a tick with its ± whisker on a line whose painted part is the band, as the server laid it out. */
export function Lane({ lane, colour, label }: { lane: Schemas['Lane']; colour: string; label?: string }) {
  const at = (x: number) => `${100 * Math.min(1, Math.max(0, x))}%`
  const { low, high } = lane
  return (
    <Box position="relative" h="14px" role={label ? 'img' : undefined} aria-label={label} aria-hidden={!label}>
      <Box position="absolute" top="6px" left="0" right="0" h="2px" bg="hair" />
      {(low !== undefined || high !== undefined) && (
        <Box
          position="absolute"
          top="3px"
          h="8px"
          borderRadius="4px"
          bg="band"
          left={at(low ?? 0)}
          right={`calc(100% - ${at(high ?? 1)})`}
        />
      )}
      <Box
        position="absolute"
        top="6px"
        h="2px"
        bg={colour}
        left={at(lane.from)}
        right={`calc(100% - ${at(lane.to)})`}
      />
      <Box
        position="absolute"
        top="0"
        w="3px"
        h="14px"
        ml="-1.5px"
        borderRadius="2px"
        bg={colour}
        left={at(lane.at)}
      />
    </Box>
  )
}
