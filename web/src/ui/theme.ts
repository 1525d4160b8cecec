import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'

const fonts = `'Barlow Semi Condensed', 'Roboto Condensed', sans-serif`

const pair = (light: string, dark: string) => ({ value: { base: light, _dark: dark } })

export const system = createSystem(
  defaultConfig,
  defineConfig({
    globalCss: {
      'html, body, #root': { height: '100%' },
      html: { bg: 'paper' },
      body: { bg: 'paper', color: 'ink', fontSize: '14px', fontVariantNumeric: 'tabular-nums', lineHeight: 1.35 },
      // Without it, small bold letters lose the dot of their i on low-density displays.
      '*': { textRendering: 'geometricPrecision' },
      'html.dark': { colorScheme: 'dark' },
      'button, summary, select': { '@media (pointer: coarse)': { minHeight: '40px' } },
      '*:focus-visible': { outline: '2px solid {colors.sky} !important', outlineOffset: '2px' },
    },
    theme: {
      tokens: {
        fonts: { body: { value: fonts }, heading: { value: fonts } },
        durations: { moderate: { value: '120ms' }, fast: { value: '120ms' } },
      },
      semanticTokens: {
        colors: {
          paper: pair('#F4EFE4', '#10171E'),
          raised: pair('#FBF8F1', '#18222B'),
          hair: pair('#DACFBB', '#2B3842'),
          ink: pair('#16222E', '#EDE7DA'),
          soft: pair('#55636E', '#A5B0B8'),
          stage: pair('#0D141B', '#0A0F14'),
          chalk: pair('#E9E2D3', '#E9E2D3'),
          brick: pair('#AE4529', '#E36A48'),
          sky: pair('#2A6C9C', '#6FB4E4'),
          grass: pair('#3A774D', '#6DB583'),
          ochre: pair('#8A5E0C', '#DDA53C'),
          plum: pair('#8A2452', '#DB6C9E'),
          mist: pair('#5F6A70', '#98A2A7'),
          band: pair('#CFDCCB', '#2C4435'),
        },
      },
    },
  }),
)

/** Colours on the dark stage, which do not change with the mode. */
export const stage = { brick: '#E36A48', sky: '#6FB4E4', chalk: '#E9E2D3', arc: '#F2C14E' }
