import { Button as ChakraButton, type ButtonProps } from '@chakra-ui/react'

/** A button in the house's shape: ink for the one thing to do next, paper otherwise. */
export function Button({ main, ...rest }: ButtonProps & { main?: boolean }) {
  return (
    <ChakraButton
      size="sm"
      h="40px"
      borderRadius="9px"
      fontWeight="600"
      px="14px"
      borderWidth="1px"
      bg={main ? 'ink' : 'raised'}
      color={main ? 'paper' : 'ink'}
      borderColor={main ? 'ink' : 'hair'}
      _hover={{ borderColor: 'ink' }}
      _disabled={{ opacity: 0.45, cursor: 'not-allowed' }}
      {...rest}
    />
  )
}

/** A small choice among a few, as a row of pills. */
export function Pills<T extends string>({
  label,
  options,
  value,
  onPick,
}: {
  label: string
  options: [T, string][]
  value?: T
  onPick: (v: T) => void
}) {
  return (
    <div role="radiogroup" aria-label={label} style={{ display: 'flex', gap: 4, flexWrap: 'wrap' }}>
      {options.map(([id, text]) => (
        <ChakraButton
          key={id}
          role="radio"
          aria-checked={value === id}
          size="xs"
          h="32px"
          px="10px"
          borderRadius="full"
          borderWidth="1px"
          fontWeight="600"
          bg={value === id ? 'ink' : 'transparent'}
          color={value === id ? 'paper' : 'ink'}
          borderColor={value === id ? 'ink' : 'hair'}
          onClick={() => onPick(id)}
        >
          {text}
        </ChakraButton>
      ))}
    </div>
  )
}
