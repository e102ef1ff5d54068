import { createSystem, defineConfig } from '@chakra-ui/react';
import { defaultBaseConfig } from '@chakra-ui/react/preset-base';
import {
  animationStyles,
  breakpoints,
  buttonRecipe,
  comboboxSlotRecipe,
  dialogSlotRecipe,
  globalCss,
  inputRecipe,
  keyframes,
  layerStyles,
  menuSlotRecipe,
  popoverSlotRecipe,
  semanticTokens,
  spinnerRecipe,
  textStyles,
  tokens,
} from '@chakra-ui/react/theme';

/** Colours of the dark and of the light page, in one order of hues. Text contrast is at least 4.5:1 in both (WCAG 2.2). */
const COLORS = {
  ground: ['#0E1B20', '#E9EFEA'],
  panel: ['#15272D', '#F5F8F4'],
  raised: ['#1D343B', '#DDE7E3'],
  line: ['#2B474F', '#B5C7C4'],
  text: ['#EAF1EC', '#10262C'],
  quiet: ['#9DB5B2', '#48625F'],
  lamp: ['#FFC857', '#8A5A00'],
  onLamp: ['#1B1405', '#FFFFFF'],
  alarm: ['#FF7A66', '#B3301C'],
} as const;

const { black, white, transparent, current, gray } = tokens.colors;
const { bg, fg, border, gray: grays } = semanticTokens.colors;

/** What Chakra UI brings of which something is used: of all its hues and components the page would start a quarter of a second later. */
const CHAKRA = defineConfig({
  preflight: true,
  cssVarsRoot: ':where(html)',
  globalCss,
  theme: {
    breakpoints,
    keyframes,
    tokens: { ...tokens, colors: { black, white, transparent, current, gray } },
    semanticTokens: { ...semanticTokens, colors: { bg, fg, border, gray: grays } },
    textStyles,
    layerStyles,
    animationStyles,
    recipes: { button: buttonRecipe, input: inputRecipe, spinner: spinnerRecipe },
    slotRecipes: {
      combobox: comboboxSlotRecipe,
      dialog: dialogSlotRecipe,
      menu: menuSlotRecipe,
      popover: popoverSlotRecipe,
    },
  },
});

export const system = createSystem(
  defaultBaseConfig,
  CHAKRA,
  defineConfig({
    cssVarsPrefix: 'evlay',
    globalCss: {
      'html, body, #root': { height: '100%', bg: 'ground', color: 'text' },
      body: { fontFamily: 'body', fontSize: '13px', lineHeight: '1.4', overflow: 'hidden' },
      '*:focus-visible': { outline: '2px solid {colors.lamp}', outlineOffset: '1px' },
      // What is to be used next while something is tried.
      '[data-try]': { outline: '2px solid {colors.lamp}', outlineOffset: '2px' },
      // A part of the body map shows the focus along its own outline.
      '[data-part]:focus-visible': { outline: 'none' },
      '[data-part]:focus-visible > path:first-of-type': { stroke: '{colors.lamp}', strokeWidth: 7 },
      // Who asked the system for less motion gets none of ours. A short time and not none: what is shown and hidden with
      // an animation waits for its end.
      '*, *::before, *::after': {
        _motionReduce: {
          animationDuration: '1ms !important',
          animationDelay: '0s !important',
          animationIterationCount: '1 !important',
          transition: 'none !important',
        },
      },
    },
    theme: {
      tokens: {
        fonts: {
          body: { value: "'Instrument Sans Variable', sans-serif" },
          heading: { value: "'Instrument Sans Variable', sans-serif" },
          mono: { value: "'JetBrains Mono Variable', monospace" },
        },
        radii: { l1: { value: '6px' }, l2: { value: '6px' }, l3: { value: '6px' } },
      },
      semanticTokens: {
        colors: Object.fromEntries(
          Object.entries(COLORS).map(([name, [dark, light]]) => [
            name,
            { value: { base: dark, _dark: dark, _light: light } },
          ]),
        ),
        shadows: { float: { value: '0 6px 24px rgba(0, 0, 0, 0.35)' } },
      },
    },
  }),
);

const KEPT = 'evlay.theme';

export type Theme = 'dark' | 'light';

/** A colour of the theme as it is written, for canvases, which know no variables. */
export const colorOf = (name: keyof typeof COLORS, theme: Theme): string =>
  COLORS[name][theme === 'dark' ? 0 : 1];

export const currentTheme = (): Theme =>
  document.documentElement.classList.contains('light') ? 'light' : 'dark';

/** Turns the page dark or light. */
function showTheme(theme: Theme): void {
  document.documentElement.classList.remove('dark', 'light');
  document.documentElement.classList.add(theme);
  document.documentElement.style.colorScheme = theme;
}

/** Turns the page dark or light, and remembers it where the browser lets it. */
export function setTheme(theme: Theme): void {
  showTheme(theme);
  try {
    localStorage.setItem(KEPT, theme);
  } catch {
    // A browser that keeps nothing shows the theme until the page is closed.
  }
}

/** The theme that was set; none where nobody has, or the browser keeps nothing. */
function keptTheme(): Theme | undefined {
  try {
    const kept = localStorage.getItem(KEPT);
    return kept === 'light' || kept === 'dark' ? kept : undefined;
  } catch {
    return undefined;
  }
}

/** Shows the theme that was set before, and until one is set that of the system. */
export function restoreTheme(): void {
  const light = matchMedia('(prefers-color-scheme: light)');
  const ofSystem = (): Theme => (light.matches ? 'light' : 'dark');
  showTheme(keptTheme() ?? ofSystem());
  light.addEventListener('change', () => keptTheme() === undefined && showTheme(ofSystem()));
}
