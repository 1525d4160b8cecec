import { Box, Heading, Text } from '@chakra-ui/react'

export function Section({
  title,
  aside,
  children,
}: {
  title: string
  aside?: React.ReactNode
  children: React.ReactNode
}) {
  return (
    <Box as="section" aria-label={title} mb="14px">
      <Heading as="h2" fontSize="16px" fontWeight="700" mb="6px">
        {title}
        {aside && (
          <Text as="span" color="soft" fontSize="13px" fontWeight="500">
            {' '}
            {aside}
          </Text>
        )}
      </Heading>
      {children}
    </Box>
  )
}

export function Hint({ children }: { children: React.ReactNode }) {
  return (
    <Text color="soft" fontSize="13px">
      {children}
    </Text>
  )
}

/** A line of what stands out, with its colour at the left edge. */
export function Callout({ tone, children }: { tone: string; children: React.ReactNode }) {
  return (
    <Box borderLeftWidth="3px" borderColor={tone} pl="9px" py="2px" mb="6px">
      {children}
    </Box>
  )
}
