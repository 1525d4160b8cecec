import { Box, Field, Flex, Heading, Input, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { Logo } from '../ui/Logo'

type State = Schemas['State']

function useEnter() {
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const [busy, setBusy] = useState(false)
  const enter = async (go: () => Promise<State>) => {
    setBusy(true)
    setError('')
    try {
      queries.setQueryData(['state'], await go())
    } catch (e) {
      setError((e as Error).message)
    }
    setBusy(false)
  }
  return { enter, error, busy }
}

function Sheet({ children, error }: { children: React.ReactNode; error: string }) {
  return (
    <Flex minH="100%" align="center" justify="center" p="24px">
      <Box bg="raised" borderWidth="1px" borderColor="hair" borderRadius="10px" p="32px" w="400px">
        <Logo />
        {children}
        {error && (
          <Text role="alert" color="plum" mt="14px" fontWeight="600">
            {error}
          </Text>
        )}
      </Box>
    </Flex>
  )
}

function Line({ label, ...rest }: { label: string } & React.ComponentProps<typeof Input>) {
  return (
    <Field.Root mt="14px" required>
      <Field.Label fontSize="12.5px" color="soft">
        {label}
      </Field.Label>
      <Input bg="paper" borderColor="hair" h="40px" {...rest} />
    </Field.Root>
  )
}

export function SignIn({ state }: { state: State }) {
  const { enter, error, busy } = useEnter()
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    enter(() =>
      ask(
        client.POST('/api/sign-in', { body: { name: String(f.get('name')), password: String(f.get('password')) } }),
      ),
    )
  }
  return (
    <Sheet error={error}>
      {state.demo && (
        <Box mt="20px" pb="20px" borderBottomWidth="1px" borderColor="hair">
          <Text mb="10px">This is the demo club: invented athletes, simulated film.</Text>
          <Button main w="100%" disabled={busy} onClick={() => enter(() => ask(client.POST('/api/sign-in/demo')))}>
            Come in as the demo coach
          </Button>
        </Box>
      )}
      {!state.setUp && (
        <Text mt="16px">
          Nobody has an account yet. Open the one-time link that the server printed when it started.
        </Text>
      )}
      <form onSubmit={submit}>
        <Line label="Name" name="name" autoComplete="username" />
        <Line label="Password" name="password" type="password" autoComplete="current-password" />
        <Button main={!state.demo} type="submit" mt="20px" w="100%" disabled={busy}>
          Sign in
        </Button>
      </form>
    </Sheet>
  )
}

export function Welcome() {
  const { enter, error, busy } = useEnter()
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k))
    enter(() =>
      ask(
        client.POST('/api/sign-in/owner', {
          body: {
            link: location.hash.slice(1),
            club: get('club'),
            name: get('name'),
            login: get('login'),
            password: get('password'),
          },
        }),
      ),
    )
  }
  return (
    <Sheet error={error}>
      <Heading size="md" mt="18px">
        Make the owner's account
      </Heading>
      <form onSubmit={submit}>
        <Line label="Club" name="club" />
        <Line label="Your name" name="name" autoComplete="name" />
        <Line label="Sign-in name" name="login" autoComplete="username" />
        <Line
          label="Password, 10 characters or more"
          name="password"
          type="password"
          autoComplete="new-password"
          minLength={10}
        />
        <Button main type="submit" mt="20px" w="100%" disabled={busy}>
          Begin
        </Button>
      </form>
    </Sheet>
  )
}
