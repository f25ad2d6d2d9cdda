import { chakra } from "@chakra-ui/react";

import { dismiss, useView } from "./store";
import { SignButton } from "../controls/SignButton";

/** What went wrong or was done, until it is read. */
export function Notices() {
  const notices = useView((view) => view.notices);
  return (
    <chakra.div
      position="fixed"
      left="80px"
      bottom="16px"
      zIndex="toast"
      display="grid"
      gap="8px"
      maxWidth="560px"
    >
      {notices.map((notice) => (
        <chakra.div
          key={notice.id}
          role={notice.tone === "error" ? "alert" : "status"}
          bg="card"
          border="1px solid"
          borderLeft="4px solid"
          borderColor={notice.tone === "error" ? "over" : "at"}
          borderRadius="small"
          padding="8px 12px"
          display="flex"
          gap="12px"
          alignItems="flex-start"
        >
          <chakra.div flex="1">
            <chakra.strong>{notice.what}</chakra.strong> {notice.remedy}
          </chakra.div>
          <SignButton label="Dismiss" onClick={() => dismiss(notice.id)} />
        </chakra.div>
      ))}
    </chakra.div>
  );
}
