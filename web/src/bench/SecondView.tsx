import { Box, Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import type { Bench, Schemas } from '../ui/client'
import { decoding, frameUrl } from './frames'

/** The other film's picture of the same moment; both are stepped together. */
export function SecondView({
  bench,
  other,
  clocks,
  frame,
}: {
  bench: Bench
  other: Bench
  clocks: Schemas['Clocks']
  frame: number
}) {
  const clip = other.clip
  const n = clocks.beside[frame - (bench.clip?.first ?? 0)]
  if (!clip || n === undefined) return null
  return (
    <Box
      position="absolute"
      top="12px"
      right="12px"
      w="min(38%, 320px)"
      borderRadius="8px"
      overflow="hidden"
      boxShadow="0 0 0 1px #6B7780"
      bg="stage"
    >
      {n >= 0 ? (
        <img
          src={frameUrl(clip.id, n, decoding(clip))}
          alt={`The other film, picture ${n}`}
          style={{ display: 'block', width: '100%' }}
        />
      ) : (
        <Text color="chalk" p="14px" fontSize="12.5px">
          The other film does not show this moment.
        </Text>
      )}
      <Text color="chalk" fontSize="12px" px="8px" py="3px">
        <Link to={`/attempts/${other.id}/split`} style={{ textDecoration: 'underline' }}>
          {clip.view}
        </Link>
        {n >= 0 && ` · picture ${n}`} · ± {(2000 * clocks.offsetU).toFixed(0)} ms
      </Text>
    </Box>
  )
}
