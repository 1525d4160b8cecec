import { Box, Text } from '@chakra-ui/react'
import type { Task } from '../../ui/client'

/** On the picture while the server looks for the athlete: how far it is. */
export function Finding({ task }: { task: Task }) {
  const share = task.total > 0 && task.state === 'running' ? task.done / task.total : 0
  return (
    <Box
      role="status"
      position="absolute"
      top="12px"
      right="10px"
      px="12px"
      py="5px"
      borderRadius="8px"
      bg="rgba(13,20,27,.82)"
      color="chalk"
      fontSize="13px"
      pointerEvents="none"
    >
      <Text>{share > 0 ? `Finding the points: ${Math.round(100 * share)} %` : 'Finding the points: in line'}</Text>
      <Box mt="4px" h="3px" borderRadius="full" bg="whiteAlpha.300">
        <Box h="3px" borderRadius="full" bg="chalk" w={`${100 * share}%`} />
      </Box>
    </Box>
  )
}
