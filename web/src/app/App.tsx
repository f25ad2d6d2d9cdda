import { ChakraProvider } from "@chakra-ui/react";
import { QueryClientProvider } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";

import { queryClient } from "../api/queries";
import { ControllerPage } from "../features/controller";
import { SessionList } from "../features/session";
import { system } from "../theme/system";
import { currentSessionId, isController, onNavigate } from "./location";
import { OpenSession } from "./SessionContext";
import { Shell } from "./Shell";

export function App() {
  const sessionId = useSyncExternalStore(onNavigate, currentSessionId);
  return (
    <ChakraProvider value={system}>
      <QueryClientProvider client={queryClient}>
        {isController() ? (
          <ControllerPage />
        ) : sessionId ? (
          <OpenSession key={sessionId} id={sessionId}>
            <Shell />
          </OpenSession>
        ) : (
          <SessionList />
        )}
      </QueryClientProvider>
    </ChakraProvider>
  );
}
