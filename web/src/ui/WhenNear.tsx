import { Box } from '@chakra-ui/react'
import { useEffect, useRef, useState, type ReactNode } from 'react'

/** Keeps room for what is costly to draw, and draws it once the reader comes near. */
export function WhenNear({ minH, children }: { minH: string; children: ReactNode }) {
  const box = useRef<HTMLDivElement>(null)
  const [near, setNear] = useState(false)
  useEffect(() => {
    if (near) return
    const watch = new IntersectionObserver((seen) => setNear(seen.some((s) => s.isIntersecting)), {
      rootMargin: '100px',
    })
    watch.observe(box.current!)
    return () => watch.disconnect()
  }, [near])
  return (
    <Box ref={box} minH={minH}>
      {near && children}
    </Box>
  )
}
