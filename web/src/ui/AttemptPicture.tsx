import { Box } from '@chakra-ui/react'

/**
 * An attempt as a picture: a film's frame, or the placed figure on paper where there is no film. Without either the
 * tile says so.
 */
export function AttemptPicture({
  attempt,
  frame,
  filmless,
  landmarks,
  keyId,
  alt,
  none,
}: {
  attempt: string
  /** the frame's address; undefined: there is no film that is ready */
  frame?: string
  filmless?: boolean
  landmarks: number
  keyId?: string
  alt: string
  none: string
}) {
  const figure = filmless && landmarks > 0
  const src = figure
    ? `/api/attempts/${attempt}/pose.png${keyId === undefined ? '' : `?keyId=${encodeURIComponent(keyId)}`}`
    : filmless
      ? undefined
      : frame
  if (!src)
    return (
      <Box
        h="100%"
        w="100%"
        bg="paper"
        color="soft"
        fontSize="12px"
        display="flex"
        alignItems="center"
        justifyContent="center"
        textAlign="center"
      >
        {none}
      </Box>
    )
  return (
    <img
      src={src}
      alt={alt}
      loading="lazy"
      style={{
        width: '100%',
        height: '100%',
        display: 'block',
        objectFit: figure ? 'contain' : 'cover',
        background: figure ? '#FBF8F1' : '#0D141B',
      }}
    />
  )
}
