import { defineRecipe } from "@chakra-ui/react";

const field = {
  width: "100%",
  bg: "card",
  color: "ink",
  border: "1px solid",
  borderColor: "edge",
  borderRadius: "field",
  px: "9px",
  py: "5px",
  minH: { base: "44px", md: "30px" },
  fontSize: { base: "1rem", md: "text" }, // smaller ones have a phone zoom the page
  _placeholder: { color: "muted", opacity: 1 },
  _focusVisible: { outlineOffset: "0px" },
  _invalid: { borderColor: "madder.fill" },
  _disabled: { color: "muted", borderStyle: "dashed", opacity: 1, cursor: "not-allowed" },
} as const;

export const inputRecipe = defineRecipe({
  className: "vp-input",
  base: field,
  variants: {
    size: {
      xs: { minH: { base: "44px", md: "24px" }, py: "1px", px: "3px", fontSize: { base: "1rem", md: "small" } },
      md: {},
    },
  },
  defaultVariants: { size: "md" },
});

const textareaRecipe = defineRecipe({
  className: "vp-textarea",
  base: { ...field, fontSize: { base: "1rem", md: "small" } },
});

/** Buttons: solid leads on, outline is the usual one, plain mends or goes like a link, ghost is quiet on the ink bar. */
const buttonRecipe = defineRecipe({
  className: "vp-button",
  base: {
    display: "inline-flex",
    alignItems: "center",
    justifyContent: "center",
    gap: "6px",
    borderRadius: "field",
    cursor: "pointer",
    fontSize: "text",
    lineHeight: "1.3",
    whiteSpace: "nowrap",
    border: "1px solid transparent",
    colorPalette: "chalk",
    _disabled: {
      color: "muted",
      borderStyle: "dashed",
      borderColor: "edge",
      bg: "transparent",
      opacity: 1,
      cursor: "not-allowed",
    },
    _icon: { width: "1em", height: "1em", flex: "none" },
  },
  variants: {
    size: {
      xs: {
        px: "8px",
        py: "2px",
        minH: { base: "44px", md: "26px" },
        minW: { base: "44px", md: "24px" },
        fontSize: "small",
      },
      sm: { px: "12px", py: "5px", minH: { base: "44px", md: "30px" }, minW: { base: "44px", md: "24px" } },
    },
    variant: {
      solid: {
        bg: "colorPalette.fill",
        color: "onFill",
        _hover: { filter: "brightness(1.1)" },
        _disabled: { bg: "body", color: "muted" },
      },
      outline: {
        bg: "card",
        borderColor: "hair",
        color: "ink",
        _hover: { borderColor: "muted" },
        "&[data-danger]": { color: "madder", _hover: { borderColor: "madder" } },
      },
      // A pill that is on or off, and chooses what is shown.
      subtle: {
        bg: "body",
        color: "ink",
        borderRadius: "pill",
        px: "9px",
        fontSize: "label",
        _hover: { bg: "hair" },
        "&[aria-pressed=true]": { bg: "ink", color: "linen" },
      },
      plain: {
        p: 0,
        minH: { base: "44px", md: "24px" },
        color: "colorPalette",
        fontWeight: 600,
        whiteSpace: "normal",
        justifyContent: "start",
        textAlign: "start",
        _hover: { textDecoration: "underline" },
        _disabled: { borderColor: "transparent" },
      },
      ghost: {
        p: 0,
        minH: { base: "44px", md: "24px" },
        minW: { base: "44px", md: "24px" },
        color: "inherit",
        _hover: { textDecoration: "underline" },
        _disabled: { color: "off", borderColor: "transparent" },
      },
    },
  },
  defaultVariants: { size: "sm", variant: "outline" },
});

const kbdRecipe = defineRecipe({
  className: "vp-kbd",
  base: {
    fontFamily: "mono",
    fontSize: "label",
    px: "5px",
    borderRadius: "tag",
    bg: "key",
    color: "muted",
    border: "1px solid",
    borderColor: "hair",
  },
});

const headingRecipe = defineRecipe({
  className: "vp-heading",
  base: { fontWeight: 700 },
  variants: { size: { sm: { fontSize: "text" }, md: { fontSize: "head" }, lg: { fontSize: "title" } } },
  defaultVariants: { size: "sm" },
});

const skipNavLinkRecipe = defineRecipe({
  className: "vp-skip",
  base: {
    position: "fixed",
    zIndex: "note",
    top: "6px",
    insetStart: "6px",
    px: "14px",
    py: "8px",
    bg: "card",
    color: "ink",
    borderRadius: "field",
    boxShadow: "lifted",
    transform: "translateY(-200%)",
    _focusVisible: { transform: "none" },
  },
});

export const recipes = {
  button: buttonRecipe,
  input: inputRecipe,
  textarea: textareaRecipe,
  kbd: kbdRecipe,
  heading: headingRecipe,
  skipNavLink: skipNavLinkRecipe,
};
