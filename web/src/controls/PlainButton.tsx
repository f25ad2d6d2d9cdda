import { chakra, type HTMLChakraProps } from "@chakra-ui/react";

/** A quiet button: an outline on the sheet. */
export function PlainButton(props: HTMLChakraProps<"button">) {
  return (
    <chakra.button
      type="button"
      height="26px"
      padding="0 10px"
      border="1px solid"
      borderColor="edge"
      borderRadius="small"
      cursor="pointer"
      whiteSpace="nowrap"
      _hover={{ bg: "wash" }}
      _disabled={{ color: "quiet", cursor: "default", bg: "transparent" }}
      {...props}
    />
  );
}
