-- What was done to a session, in order: each act with what it changed, as it was before and after. Undoing it writes the
-- one, redoing it the other; both survive whatever becomes of the page that did it.

CREATE TABLE act (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    session_id uuid NOT NULL CONSTRAINT act_session_fk REFERENCES session ON DELETE CASCADE,
    kind       text NOT NULL,
    -- What a person reads: "Verse 2 removed".
    says       text NOT NULL CONSTRAINT act_says_present CHECK (btrim(says) <> ''),
    -- Acts of one kind on one subject that follow each other within a moment are one.
    subject    text NOT NULL DEFAULT '',
    -- [{"table", "id", "before", "after"}, ...]: columns and their values; null where the row was not there.
    changes    jsonb NOT NULL,
    undone     boolean NOT NULL DEFAULT false,
    done_at    timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX act_of_session ON act (session_id, id DESC);
