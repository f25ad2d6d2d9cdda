import { dialogAnatomy, menuAnatomy } from "@chakra-ui/react/anatomy";
import { defineSlotRecipe } from "@chakra-ui/react/styled-system";

/** A panel over the page, which is seen through what dims it. */
export const dialogRecipe = defineSlotRecipe({
  className: "panel",
  slots: dialogAnatomy.keys(),
  base: {
    backdrop: { position: "fixed", inset: 0, zIndex: "panel", bg: "shade" },
    positioner: {
      position: "fixed",
      inset: 0,
      zIndex: "panel",
      display: "flex",
      justifyContent: "center",
      alignItems: "flex-start",
      overflow: "auto",
      overscrollBehaviorY: "none",
    },
    content: {
      display: "flex",
      flexDirection: "column",
      position: "relative",
      width: "100%",
      maxWidth: "512px",
      marginX: "auto",
      marginY: "64px",
      outline: 0,
      bg: "card",
      color: "ink",
      border: "1px solid",
      borderColor: "edge",
      borderRadius: "small",
    },
    header: { display: "flex", padding: "14px 16px 6px" },
    title: { fontSize: "title", fontWeight: "600" },
    body: { flex: "1", padding: "6px 16px 16px" },
  },
});

/** What can be chosen, below the button that opens it. */
export const menuRecipe = defineSlotRecipe({
  className: "menu",
  slots: menuAnatomy.keys(),
  base: {
    content: {
      zIndex: "panel",
      minWidth: "128px",
      maxHeight: "60vh",
      overflowY: "auto",
      padding: "2px",
      outline: 0,
      bg: "card",
      border: "1px solid",
      borderColor: "edge",
      borderRadius: "small",
    },
    item: {
      display: "flex",
      alignItems: "center",
      width: "100%",
      minHeight: "target",
      padding: "2px 8px",
      color: "ink",
      textAlign: "start",
      borderRadius: "small",
      cursor: "pointer",
      userSelect: "none",
      outline: 0,
      _highlighted: { bg: "wash" },
    },
  },
});
