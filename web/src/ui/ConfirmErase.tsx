import { Box, Flex, Text } from '@chakra-ui/react'
import { Button } from './Button'

/** Asks before something goes for good. */
export function ConfirmErase({
  says,
  yes,
  onYes,
  onNo,
}: {
  says: string
  yes: string
  onYes: () => void
  onNo: () => void
}) {
  return (
    <Box
      role="alertdialog"
      aria-label={yes}
      mt="8px"
      p="10px"
      borderWidth="1px"
      borderColor="plum"
      borderRadius="8px"
    >
      <Text mb="6px">{says}</Text>
      <Flex gap="8px">
        <Button h="36px" onClick={onYes}>
          {yes}
        </Button>
        <Button h="36px" main onClick={onNo}>
          Keep it
        </Button>
      </Flex>
    </Box>
  )
}
