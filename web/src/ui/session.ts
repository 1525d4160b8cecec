import { useQuery } from '@tanstack/react-query'
import { ask, client } from './client'

export const useSession = () => useQuery({ queryKey: ['state'], queryFn: () => ask(client.GET('/api/state')) })
