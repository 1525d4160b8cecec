import { Field, Input, NativeSelect } from '@chakra-ui/react'

export function Choice({
  label,
  children,
  ...rest
}: { label: string } & React.ComponentProps<typeof NativeSelect.Field>) {
  return (
    <Field.Root>
      <Field.Label fontSize="12.5px" color="soft">
        {label}
      </Field.Label>
      <NativeSelect.Root>
        <NativeSelect.Field bg="paper" borderColor="hair" h="40px" {...rest}>
          {children}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Field.Root>
  )
}

export function Entry({ label, ...rest }: { label: string } & React.ComponentProps<typeof Input>) {
  return (
    <Field.Root>
      <Field.Label fontSize="12.5px" color="soft">
        {label}
      </Field.Label>
      <Input bg="paper" borderColor="hair" h="40px" {...rest} />
    </Field.Root>
  )
}
