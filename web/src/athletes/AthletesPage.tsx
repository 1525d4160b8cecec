import { Box, Flex, Heading, Input, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { AppHeader } from '../ui/AppHeader'
import { Button } from '../ui/Button'
import { ask, client } from '../ui/client'
import { NewAthlete } from './AthleteForm'

/** All athletes of the coach. */
export function AthletesPage() {
  const today = useQuery({
    queryKey: ['today'],
    queryFn: () => ask(client.GET('/api/today')),
    refetchOnMount: 'always',
  })
  const [words, setWords] = useState('')
  const [adding, setAdding] = useState(false)
  const events = today.data?.events ?? []
  const named = (id: string) => events.find((e) => e.id === id)?.name ?? id
  const list = today.data?.athletes.filter((a) => {
    const all = [a.name, a.group, a.level, ...(a.events ?? []).map(named)].join(' ').toLowerCase()
    return all.includes(words.trim().toLowerCase())
  })
  return (
    <Box minH="100%">
      <AppHeader />
      <Box maxW="1040px" mx="auto" p="20px 28px">
        <Flex align="center" gap="12px" mb="12px" wrap="wrap">
          <Heading fontSize="21px" flex="1">
            Athletes
          </Heading>
          <Input
            aria-label="Search athletes"
            placeholder="name, event, group"
            w="240px"
            h="40px"
            bg="raised"
            borderColor="hair"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <Button main onClick={() => setAdding(true)}>
            New athlete
          </Button>
        </Flex>
        {today.error && (
          <Text role="alert" color="plum">
            {today.error.message}
          </Text>
        )}
        {today.data?.athletes.length === 0 && (
          <Text color="soft">Nobody yet. Add an athlete here, or with the first attempt on Today.</Text>
        )}
        {list?.length === 0 && words && <Text color="soft">Nobody is found by “{words}”.</Text>}
        <Box as="ul" listStyleType="none">
          {list?.map((a) => (
            <Box as="li" key={a.id} borderTopWidth="1px" borderColor="hair">
              <Link to={`/athletes/${a.id}`} style={{ display: 'block' }}>
                <Flex py="9px" px="6px" gap="14px" align="baseline" wrap="wrap" _hover={{ bg: 'raised' }}>
                  <Text fontWeight="600" fontSize="16px" w="230px">
                    {a.name}
                  </Text>
                  <Text flex="1" minW="180px">
                    {a.events?.map(named).join(', ')}
                  </Text>
                  <Text color="soft">
                    {a.group}, {a.level}
                  </Text>
                </Flex>
              </Link>
            </Box>
          ))}
        </Box>
      </Box>
      {adding && <NewAthlete events={events} onClose={() => setAdding(false)} />}
    </Box>
  )
}
