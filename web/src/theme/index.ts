import { createSystem, defaultBaseConfig, defineConfig } from "@chakra-ui/react";
import { plainCss } from "./plain";
import { recipes } from "./recipes";
import { slotRecipes } from "./slots";

// Each colour has a form for linen and one for the dark of a cupboard.
const colour = (light: string, dark: string) => ({ value: { base: light, _dark: dark } });

const config = defineConfig({
  theme: {
    breakpoints: { sm: "480px", md: "860px", lg: "1000px" },
    tokens: {
      fonts: {
        body: { value: "'Atkinson Hyperlegible Next Variable', system-ui, sans-serif" },
        heading: { value: "'Atkinson Hyperlegible Next Variable', system-ui, sans-serif" },
        mono: { value: "'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace" },
      },
      fontSizes: {
        label: { value: "0.71875rem" },
        small: { value: "0.8125rem" },
        text: { value: "0.875rem" },
        head: { value: "1rem" },
        title: { value: "1.125rem" },
        digits: { value: "1.375rem" },
      },
      sizes: {
        bar: { value: "44px" },
        facts: { value: "47px" },
        stations: { value: "150px" },
        inspector: { value: "286px" },
        row: { value: "29px" },
      },
      radii: { tag: { value: "4px" }, field: { value: "6px" }, card: { value: "8px" }, pill: { value: "999px" } },
      shadows: { lifted: { value: "0 6px 20px rgb(0 0 0 / 0.22)" } },
      zIndex: { sheet: { value: 10 }, bottom: { value: 12 }, over: { value: 30 }, note: { value: 50 } },
    },
    semanticTokens: {
      colors: {
        linen: colour("#F4F0E6", "#171E25"),
        card: colour("#FFFDF7", "#1E2831"),
        ink: colour("#22303C", "#ECE7DA"),
        muted: colour("#5A6670", "#A9B4BC"),
        hair: colour("#DDD5C4", "#37444F"),
        edge: colour("#857B66", "#75838E"), // of what is typed into: 3:1 on every ground
        off: colour("#8E9AA4", "#8E9AA4"), // on the bar, what cannot be pressed now
        bar: colour("#22303C", "#0E141A"),
        barField: colour("#33424F", "#24303A"),
        onBar: colour("#F4F0E6", "#ECE7DA"),
        onBarMuted: colour("#C3CBD1", "#B3BDC4"),
        veil: colour("rgb(10 16 22 / 0.55)", "rgb(4 8 12 / 0.65)"),
        // What a thing is about: its text, its fill under white text, its soft ground, its mark in a picture.
        brass: {
          DEFAULT: colour("#7A500F", "#DDB063"),
          fill: colour("#84580F", "#84580F"),
          soft: colour("#F4E5CB", "#3B3220"),
          mark: colour("#A9762A", "#D9A23F"),
        },
        chalk: {
          DEFAULT: colour("#2C6A86", "#86C3DF"),
          fill: colour("#2C6A86", "#2F7393"),
          soft: colour("#DAE8F0", "#203845"),
          mark: colour("#2C6A86", "#86C3DF"),
        },
        madder: {
          DEFAULT: colour("#A63529", "#F0948A"),
          fill: colour("#AE3B2E", "#AE3B2E"),
          soft: colour("#F7DFDB", "#43262A"),
          mark: colour("#AE3B2E", "#AE3B2E"),
        },
        moss: {
          DEFAULT: colour("#38623B", "#96C99A"),
          fill: colour("#38623B", "#38623B"),
          soft: colour("#DFEDE0", "#22382A"),
          mark: colour("#47744A", "#6FA873"),
        },
        plum: colour("#6B4C7D", "#C3A5D6"),
        onFill: colour("#FFFFFF", "#FFFFFF"),
        tape: colour("#FBF3DC", "#2A2E2B"),
        tapeEdge: colour("#C9B78E", "#5F5A45"),
        weave: colour("#6FA08F", "#5C8A7C"),
        key: colour("#EFE7D8", "#2C3843"),
        body: colour("#EDE5D3", "#232D36"),
      },
    },
    recipes,
    slotRecipes,
    keyframes: {
      appear: { from: { opacity: 0 }, to: { opacity: 1 } },
      ride: { from: { offsetDistance: "0%" }, to: { offsetDistance: "100%" } },
    },
  },
  globalCss: {
    html: { fontSize: "16px", colorScheme: "light" },
    ".dark": { colorScheme: "dark" },
    body: { bg: "linen", color: "ink", fontFamily: "body", fontSize: "text", lineHeight: "1.4", margin: 0 },
    "*": { boxSizing: "border-box" },
    "h1, h2, h3, p, ol, ul, dl, dd, figure": { margin: 0, padding: 0 },
    "ol, ul": { listStyle: "none" },
    "h1, h2, h3, table": { fontSize: "inherit" },
    "button, input, select, textarea": { font: "inherit", color: "inherit" },
    button: { background: "none", border: 0, padding: 0, cursor: "pointer", textAlign: "start" },
    a: { color: "chalk" },
    table: { borderCollapse: "collapse", width: "100%" },
    th: { textAlign: "start", fontWeight: 600 },
    ":focus-visible": { outline: "2px solid", outlineColor: "chalk", outlineOffset: "2px" },
    "[hidden]": { display: "none" },
    "[tabindex='-1']:focus": { outline: "none" },
    ...plainCss,
  },
});

export const system = createSystem(defaultBaseConfig, config);
