import { chakra, type HTMLChakraProps } from "@chakra-ui/react";

/** The line over a station that says what is shown and offers what may be done there. */
export function StationBar(props: HTMLChakraProps<"div">) {
  return (
    <chakra.div
      display="flex"
      alignItems="center"
      gap="10px"
      padding="0 12px"
      height="33px"
      flexShrink="0"
      borderBottom="1px solid"
      borderColor="rule"
      fontSize="small"
      whiteSpace="nowrap"
      {...props}
    />
  );
}
