import { createSystem, defaultBaseConfig, defineConfig } from "@chakra-ui/react";
import {
  animationStyles,
  breakpoints,
  buttonRecipe,
  checkboxSlotRecipe,
  checkmarkRecipe,
  collapsibleSlotRecipe,
  comboboxSlotRecipe,
  cssVarsPrefix,
  cssVarsRoot,
  dialogSlotRecipe,
  fieldSlotRecipe,
  globalCss,
  inputRecipe,
  keyframes,
  layerStyles,
  linkRecipe,
  menuSlotRecipe,
  nativeSelectSlotRecipe,
  semanticTokens,
  tableSlotRecipe,
  textStyles,
  tokens,
} from "@chakra-ui/react/theme";

// Only what the pages use: each recipe and each token is code to fetch and a variable for the browser to resolve.
const { black, white, gray, transparent, current } = tokens.colors;
const { bg, fg, border, gray: semanticGray } = semanticTokens.colors;
const base = defineConfig({
  preflight: false,
  cssVarsPrefix,
  cssVarsRoot,
  globalCss,
  theme: {
    breakpoints,
    keyframes,
    tokens: { ...tokens, colors: { black, white, gray, transparent, current } },
    semanticTokens: { ...semanticTokens, colors: { bg, fg, border, gray: semanticGray } },
    recipes: { button: buttonRecipe, checkmark: checkmarkRecipe, input: inputRecipe, link: linkRecipe },
    slotRecipes: {
      checkbox: checkboxSlotRecipe,
      collapsible: collapsibleSlotRecipe,
      combobox: comboboxSlotRecipe,
      dialog: dialogSlotRecipe,
      field: fieldSlotRecipe,
      menu: menuSlotRecipe,
      nativeSelect: nativeSelectSlotRecipe,
      table: tableSlotRecipe,
    },
    textStyles,
    layerStyles,
    animationStyles,
  },
});

// The style of the whole application: paper and ink, one accent, ruled lines.
const config = defineConfig({
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Atkinson Hyperlegible Next Variable', sans-serif" },
        heading: { value: "'Atkinson Hyperlegible Next Variable', sans-serif" },
        mono: { value: "'Atkinson Hyperlegible Mono Variable', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        page: { value: { _light: "#fdfdfb", _dark: "#12181d" } },
        ink: { value: { _light: "#16202b", _dark: "#e9ecea" } },
        faint: { value: { _light: "#53606c", _dark: "#a5b0b8" } },
        rule: { value: { _light: "#ccd7e0", _dark: "#34414c" } },
        tab: { value: { _light: "#e8eef1", _dark: "#1e2830" } },
        accent: { value: { _light: "#1b6557", _dark: "#7cc9b6" } },
        wash: { value: { _light: "#e6f1ee", _dark: "#1b2f2c" } },
        cold: { value: { _light: "#bcd0e6", _dark: "#2f4a66" } },
        alarm: { value: { _light: "#a62c25", _dark: "#f0908a" } },
      },
    },
  },
});

export const system = createSystem(defaultBaseConfig, base, config);
