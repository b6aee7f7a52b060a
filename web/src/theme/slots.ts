import { defineSlotRecipe } from "@chakra-ui/react";
import {
  alertAnatomy,
  checkboxAnatomy,
  comboboxAnatomy,
  dataListAnatomy,
  dialogAnatomy,
  emptyStateAnatomy,
  fieldAnatomy,
  fileUploadAnatomy,
  menuAnatomy,
  nativeSelectAnatomy,
  progressAnatomy,
  segmentGroupAnatomy,
  tableAnatomy,
  tabsAnatomy,
  tagAnatomy,
  toastAnatomy,
} from "@chakra-ui/react/anatomy";
import { inputRecipe } from "./recipes";

const floating = {
  bg: "card",
  color: "ink",
  border: "1px solid",
  borderColor: "hair",
  borderRadius: "card",
  boxShadow: "lifted",
  zIndex: "over",
  py: "6px",
  outline: "none",
} as const;

const choice = {
  px: "12px",
  py: "5px",
  minH: { base: "44px", md: "28px" },
  cursor: "pointer",
  _highlighted: { bg: "brass.soft" },
  _disabled: { color: "muted", cursor: "not-allowed" },
} as const;

const soft = { bg: "colorPalette.soft", color: "colorPalette" } as const;

export const slotRecipes = {
  dialog: defineSlotRecipe({
    className: "vp-dialog",
    slots: dialogAnatomy.keys(),
    base: {
      backdrop: { position: "fixed", inset: 0, bg: "veil", zIndex: "over" },
      positioner: {
        position: "fixed",
        inset: 0,
        display: "grid",
        gridTemplateColumns: "minmax(0, 1fr)", // else a narrow window cuts a dialog off
        placeItems: "center",
        overflowY: "auto",
        zIndex: "over",
        p: "12px",
      },
      content: {
        bg: "card",
        color: "ink",
        border: "1px solid",
        borderColor: "hair",
        borderRadius: "card",
        p: "18px",
        outline: "none",
        maxW: "100%",
      },
      header: { display: "flex", alignItems: "center", gap: "10px", mb: "12px" },
      title: { fontSize: "title", fontWeight: 700, flex: 1, overflowWrap: "anywhere" },
      footer: { display: "flex", justifyContent: "end", gap: "8px", mt: "14px", flexWrap: "wrap" },
    },
    variants: { size: { md: { content: { width: "480px" } }, lg: { content: { width: "760px" } } } },
    defaultVariants: { size: "md" },
  }),

  toast: defineSlotRecipe({
    className: "vp-toast",
    slots: toastAnatomy.keys(),
    base: {
      root: {
        display: "flex",
        alignItems: "center",
        gap: "14px",
        maxW: "min(680px, 92vw)",
        px: "14px",
        py: "8px",
        bg: "bar",
        color: "onBar",
        borderRadius: "field",
        boxShadow: "lifted",
        translate: "var(--x) var(--y)",
        scale: "var(--scale)",
        zIndex: "var(--z-index)",
        opacity: "var(--opacity)",
        transition: "translate 200ms, opacity 200ms",
        "&[data-type=error]": { bg: "madder.fill", color: "onFill" },
      },
      title: { overflowWrap: "anywhere" },
    },
  }),

  nativeSelect: defineSlotRecipe({
    className: "vp-select",
    slots: nativeSelectAnatomy.keys(),
    base: {
      root: { position: "relative", width: "100%", minW: 0 },
      field: {
        ...inputRecipe.base,
        appearance: "none",
        pe: "24px",
        textOverflow: "ellipsis",
        "& option, & optgroup": { bg: "card", color: "ink" },
      },
      indicator: {
        position: "absolute",
        insetEnd: "6px",
        top: "50%",
        transform: "translateY(-50%)",
        pointerEvents: "none",
        color: "muted",
        width: "14px",
        height: "14px",
        "& svg": { width: "14px", height: "14px" },
      },
    },
    variants: {
      size: {
        xs: {
          field: {
            minH: { base: "44px", md: "24px" },
            py: "1px",
            ps: "5px",
            pe: "20px",
            fontSize: { base: "1rem", md: "small" },
          },
        },
        md: {},
      },
      variant: {
        outline: {},
        subtle: { field: { borderRadius: "pill", fontSize: { base: "1rem", md: "label" }, ps: "9px" } },
      },
    },
    defaultVariants: { size: "md", variant: "outline" },
  }),

  field: defineSlotRecipe({
    className: "vp-field",
    slots: fieldAnatomy.keys(),
    base: {
      root: { minW: 0, width: "100%" },
      label: { display: "block", fontSize: "small", fontWeight: 600, mb: "3px" },
      helperText: { fontSize: "label", color: "muted", mt: "3px" },
      errorText: { fontSize: "label", color: "madder", mt: "3px", overflowWrap: "anywhere" },
    },
  }),

  checkbox: defineSlotRecipe({
    className: "vp-check",
    slots: checkboxAnatomy.keys(),
    base: {
      root: {
        display: "inline-flex",
        alignItems: "center",
        gap: "7px",
        minH: { base: "44px", md: "24px" },
        minW: "24px",
        cursor: "pointer",
      },
      control: {
        display: "grid",
        placeItems: "center",
        flex: "none",
        w: "18px",
        h: "18px",
        border: "2px solid",
        borderColor: "ink",
        borderRadius: "3px",
        color: "ink",
        bg: "card",
        _checked: { borderColor: "muted" },
        _focusVisible: { outline: "2px solid", outlineColor: "chalk", outlineOffset: "2px" },
        "& svg": { width: "14px", height: "14px" },
      },
      label: { fontSize: "small" },
    },
  }),

  segmentGroup: defineSlotRecipe({
    className: "vp-segments",
    slots: segmentGroupAnatomy.keys(),
    base: {
      root: { display: "flex", flexWrap: "wrap" },
      item: {
        cursor: "pointer",
        minH: { base: "44px", md: "24px" },
        minW: { base: "44px", md: "24px" },
        display: "inline-flex",
        alignItems: "center",
        justifyContent: "center",
        whiteSpace: "nowrap",
        _focusVisible: { outline: "2px solid", outlineColor: "chalk", outlineOffset: "1px" },
        _disabled: { color: "muted", borderStyle: "dashed", cursor: "not-allowed" },
      },
      indicator: { display: "none" },
    },
    variants: {
      size: {
        // Pills that choose which rows are shown.
        xs: {
          root: { gap: "8px" },
          item: {
            px: "9px",
            borderRadius: "pill",
            fontSize: "label",
            bg: "body",
            _checked: { bg: "ink", color: "linen" },
          },
        },
        // One of a few ways, side by side.
        md: {
          root: { border: "1px solid", borderColor: "edge", borderRadius: "field", overflow: "hidden" },
          item: {
            flex: "1 1 auto",
            px: "8px",
            minH: { base: "44px", md: "30px" },
            fontSize: "small",
            _checked: { bg: "chalk.soft", fontWeight: 700 },
          },
        },
      },
    },
    defaultVariants: { size: "md" },
  }),

  menu: defineSlotRecipe({
    className: "vp-menu",
    slots: menuAnatomy.keys(),
    base: {
      content: { ...floating, minW: "180px", maxW: "min(360px, 94vw)" },
      item: { ...choice, display: "flex", alignItems: "center", gap: "8px", color: "ink", textDecoration: "none" },
      itemIndicator: { flex: "none", width: "14px", "& svg": { width: "14px", height: "14px" } },
      separator: { borderTop: "1px solid", borderColor: "hair", my: "6px" },
    },
  }),

  combobox: defineSlotRecipe({
    className: "vp-combobox",
    slots: comboboxAnatomy.keys(),
    base: {
      root: { width: "100%", minW: 0 },
      label: { display: "block", fontSize: "small", fontWeight: 600, mb: "3px" },
      control: { position: "relative" },
      input: { ...inputRecipe.base },
      content: { ...floating, maxH: "300px", overflowY: "auto" },
      item: { ...choice, display: "flex", justifyContent: "space-between", gap: "10px", alignItems: "center" },
      empty: { px: "12px", py: "5px", color: "muted" },
    },
  }),

  progress: defineSlotRecipe({
    className: "vp-progress",
    slots: progressAnatomy.keys(),
    base: {
      root: { width: "100%" },
      track: { h: "10px", borderRadius: "pill", bg: "body", overflow: "hidden" },
      range: { h: "100%", bg: "colorPalette.mark" },
    },
  }),

  tag: defineSlotRecipe({
    className: "vp-tag",
    slots: tagAnatomy.keys(),
    base: {
      root: {
        ...soft,
        colorPalette: "brass",
        display: "inline-flex",
        alignItems: "center",
        fontSize: "label",
        px: "8px",
        py: "1px",
        borderRadius: "pill",
        whiteSpace: "nowrap",
      },
    },
  }),

  table: defineSlotRecipe({
    className: "vp-table",
    slots: tableAnatomy.keys(),
    base: {
      root: { fontSize: "text" },
      row: { borderBottom: "1px solid", borderColor: "hair" },
      columnHeader: { px: "6px", py: "5px", fontSize: "small", color: "muted", whiteSpace: "nowrap" },
      cell: { px: "6px", py: "3px" },
    },
    variants: { size: { sm: { root: { fontSize: "small" } } } },
  }),

  emptyState: defineSlotRecipe({
    className: "vp-empty",
    slots: emptyStateAnatomy.keys(),
    base: {
      root: {
        border: "2px dashed",
        borderColor: "hair",
        borderRadius: "card",
        p: "28px",
        bg: "card",
        color: "muted",
        textAlign: "center",
      },
      title: { fontWeight: 700, color: "ink", mb: "4px" },
    },
  }),

  dataList: defineSlotRecipe({
    className: "vp-pairs",
    slots: dataListAnatomy.keys(),
    base: {
      root: { fontSize: "small" },
      item: {
        display: "grid",
        gridTemplateColumns: "84px minmax(0, 1fr)",
        gap: "6px",
        py: "5px",
        px: "6px",
        borderBottom: "1px solid",
        borderColor: "hair",
        alignItems: "baseline",
      },
      itemLabel: { color: "muted" },
      itemValue: { overflowWrap: "anywhere" },
    },
  }),

  alert: defineSlotRecipe({
    className: "vp-alert",
    slots: alertAnatomy.keys(),
    base: {
      root: {
        bg: "colorPalette.soft",
        borderLeft: "4px solid",
        borderColor: "colorPalette.mark",
        borderRadius: "tag",
        px: "10px",
        py: "7px",
        fontSize: "small",
        overflowWrap: "anywhere",
      },
      title: { fontWeight: 700 },
    },
    variants: {
      status: {
        info: { root: { colorPalette: "chalk" } },
        warning: { root: { colorPalette: "brass" } },
        error: { root: { colorPalette: "madder" } },
        success: { root: { colorPalette: "moss" } },
      },
    },
    defaultVariants: { status: "warning" },
  }),

  tabs: defineSlotRecipe({
    className: "vp-tabs",
    slots: tabsAnatomy.keys(),
    base: {
      list: { display: "flex", gap: "4px", borderBottom: "1px solid", borderColor: "hair", mb: "12px" },
      trigger: {
        px: "10px",
        py: "6px",
        minH: { base: "44px", md: "30px" },
        borderBottom: "3px solid transparent",
        _selected: { borderBottomColor: "brass.mark", fontWeight: 700 },
        _disabled: { color: "muted" },
      },
      content: { outlineOffset: "4px" },
    },
  }),

  fileUpload: defineSlotRecipe({
    className: "vp-files",
    slots: fileUploadAnatomy.keys(),
    base: {
      dropzone: {
        width: "100%",
        border: "2px dashed",
        borderColor: "tapeEdge",
        bg: "card",
        borderRadius: "card",
        px: "14px",
        py: "9px",
        _dragging: { borderColor: "chalk" },
      },
    },
  }),
};
