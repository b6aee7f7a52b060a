import { defineRecipe } from "@chakra-ui/react";

/** Buttons: one that leads on, plain ones, links that mend, and quiet ones on the ink bar. */
export const buttonRecipe = defineRecipe({
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
    _disabled: { opacity: 0.55, cursor: "not-allowed" },
  },
  variants: {
    variant: {
      lead: { bg: "chalkFill", color: "onFill", _hover: { filter: "brightness(1.1)" } },
      plain: { bg: "card", borderColor: "hair", color: "ink", _hover: { borderColor: "muted" } },
      mend: {
        color: "chalk",
        fontWeight: 600,
        whiteSpace: "normal",
        justifyContent: "start",
        textAlign: "start",
        _hover: { textDecoration: "underline" },
      },
      bar: { color: "onBar", _hover: { textDecoration: "underline" } },
      danger: { color: "madder", bg: "card", borderColor: "hair", _hover: { borderColor: "madder" } },
    },
    size: {
      usual: { px: "12px", py: "5px", minH: "30px" },
      small: { px: "8px", py: "2px", minH: "26px", fontSize: "small" },
      none: { p: 0, minH: "24px" },
    },
  },
  defaultVariants: { variant: "plain", size: "usual" } as never,
});

export const inputRecipe = defineRecipe({
  base: {
    width: "100%",
    bg: "card",
    color: "ink",
    border: "1px solid",
    borderColor: "hair",
    borderRadius: "field",
    px: "9px",
    py: "5px",
    minH: "30px",
    _placeholder: { color: "muted", opacity: 1 },
    _focusVisible: { outlineOffset: "0px" },
    "&[aria-invalid=true]": { borderColor: "madder" },
  },
});
