import { chakra } from '@chakra-ui/react'
import { stage as ink } from '../../ui/theme'

/** A choice on the dark stage. */
export function StageChoice({
  on,
  label,
  ...rest
}: { on?: boolean; label?: string } & React.ComponentProps<typeof chakra.button>) {
  return (
    <chakra.button
      aria-label={label}
      h="32px"
      px="10px"
      borderRadius="full"
      borderWidth="1px"
      fontWeight="600"
      fontSize="13px"
      cursor="pointer"
      bg={on ? 'chalk' : '#0D141B'}
      color={on ? '#0D141B' : ink.chalk}
      borderColor={on ? 'chalk' : '#43505A'}
      {...rest}
    />
  )
}
