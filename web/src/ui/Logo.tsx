import { Flex, Text } from '@chakra-ui/react'

/** The product's mark: two contacts of a score. */
export function Logo({ size = 22 }: { size?: number }) {
  return (
    <Flex align="center" gap="10px">
      <img src="/mark.svg" alt="" width={size * 1.25} height={size * 1.25} />
      <Text fontWeight="700" fontSize={`${size}px`} lineHeight="1">
        Neokinema
      </Text>
    </Flex>
  )
}
