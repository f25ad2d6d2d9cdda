import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { answer, server, ServerError } from "../../api/client";
import { refreshSessions, useSessions } from "../../api/queries";
import type { SessionListing } from "../../api/types";
import { openSession } from "../../app/location";
import { PlainButton } from "../../controls/PlainButton";

/** All sessions: open, create, duplicate, delete, and the bin. */
export function SessionList() {
  const [inBin, setInBin] = useState(false);
  const { data: sessions, error } = useSessions(inBin);
  const [problem, setProblem] = useState("");
  const [name, setName] = useState("");
  const [leaving, setLeaving] = useState<string | null>(null);

  const act = async <T,>(call: Promise<{ data?: T }>) => {
    try {
      const state = await answer(call);
      setProblem("");
      refreshSessions();
      return state;
    } catch (failure) {
      setProblem(
        failure instanceof ServerError ? `${failure.body.what} ${failure.body.remedy}` : String(failure),
      );
      return undefined;
    }
  };
  const create = async () => {
    const state = await act(server.POST("/api/sessions", { body: { name: name.trim() } }));
    if (state) openSession(state.id);
  };

  return (
    <chakra.main padding="40px" maxWidth="820px" margin="0 auto" height="100vh" overflowY="auto">
      <chakra.h1 fontSize="24px" fontWeight="700" marginBottom="20px">
        Gemischt
      </chakra.h1>
      <chakra.form
        display="flex"
        gap="8px"
        marginBottom="20px"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) void create();
        }}
      >
        <chakra.input
          aria-label="Name of a new session"
          placeholder="Name of a new session"
          value={name}
          maxLength={200}
          flex="1"
          padding="4px 8px"
          border="1px solid"
          borderColor="edge"
          borderRadius="small"
          bg="card"
          onChange={(event) => setName(event.target.value)}
        />
        <PlainButton type="submit" disabled={!name.trim()}>
          New session
        </PlainButton>
        <PlainButton aria-pressed={inBin} onClick={() => setInBin(!inBin)}>
          {inBin ? "Back to the sessions" : "Bin"}
        </PlainButton>
      </chakra.form>
      {(problem || error) && (
        <chakra.p role="alert" color="over" marginBottom="12px">
          {problem || String(error)}
        </chakra.p>
      )}
      {sessions?.length === 0 && (
        <chakra.p color="quiet">
          {inBin ? "The bin is empty." : "No session yet. Name one above, then drop audio files onto it."}
        </chakra.p>
      )}
      <chakra.ul listStyleType="none">
        {sessions?.map((session) => (
          <chakra.li
            key={session.id}
            display="flex"
            alignItems="center"
            gap="8px"
            padding="8px 4px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Name session={session} />
            {inBin ? (
              <PlainButton
                onClick={() => void act(server.POST("/api/sessions/{session_id}/restore", at(session)))}
              >
                Put back
              </PlainButton>
            ) : leaving === session.id ? (
              <>
                <span>Move it to the bin?</span>
                <PlainButton
                  color="over"
                  onClick={() => {
                    setLeaving(null);
                    void act(server.DELETE("/api/sessions/{session_id}", at(session)));
                  }}
                >
                  Delete {session.name}
                </PlainButton>
                <PlainButton onClick={() => setLeaving(null)}>Keep</PlainButton>
              </>
            ) : (
              <>
                <PlainButton
                  onClick={() => void act(server.POST("/api/sessions/{session_id}/duplicate", at(session)))}
                >
                  Duplicate
                </PlainButton>
                <PlainButton onClick={() => setLeaving(session.id)}>Delete…</PlainButton>
              </>
            )}
          </chakra.li>
        ))}
      </chakra.ul>
    </chakra.main>
  );
}

function at(session: SessionListing) {
  return { params: { path: { session_id: session.id } } };
}

function Name({ session }: { session: SessionListing }) {
  return (
    <chakra.div flex="1">
      {session.deleted ? (
        <strong>{session.name}</strong>
      ) : (
        <chakra.a
          href={`/session/${session.id}`}
          fontWeight="700"
          onClick={(event) => {
            event.preventDefault();
            openSession(session.id);
          }}
        >
          {session.name}
        </chakra.a>
      )}
      <chakra.div textStyle="small">changed {new Date(session.changed_at).toLocaleString()}</chakra.div>
    </chakra.div>
  );
}
