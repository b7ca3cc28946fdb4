-- Everything that takes longer than an answer may: prints, imports, judging. One row for one kind and one input, so that
-- what is asked for twice is computed once. Whoever works on it is its holder; nobody else's word about it counts.

CREATE TABLE work (
    id          uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    kind        text NOT NULL,
    -- Of all that the result follows from.
    fingerprint text NOT NULL,
    input       jsonb NOT NULL,
    session_id  uuid CONSTRAINT work_session_fk REFERENCES session ON DELETE CASCADE,
    state       text NOT NULL DEFAULT 'waiting'
                CONSTRAINT work_state_known CHECK (state IN ('waiting', 'working', 'done', 'failed', 'stopped')),
    progress    real NOT NULL DEFAULT 0 CONSTRAINT work_progress_range CHECK (progress BETWEEN 0 AND 1),
    -- What else is told of it while it goes on, as how fast.
    detail      jsonb NOT NULL DEFAULT '{}',
    attempts    smallint NOT NULL DEFAULT 0,
    holder      uuid,
    -- When its holder was last heard of.
    seen_at     timestamptz,
    problem     text NOT NULL DEFAULT '',
    result      jsonb,
    asked_at    timestamptz NOT NULL DEFAULT now(),
    ended_at    timestamptz,
    CONSTRAINT work_once UNIQUE (kind, fingerprint),
    CONSTRAINT work_held CHECK ((state = 'working') = (holder IS NOT NULL))
);
CREATE INDEX work_open ON work (asked_at) WHERE state IN ('waiting', 'working');
CREATE INDEX work_of_session ON work (session_id);

-- A print is what came of a work; how far that is, is the work's to say.
ALTER TABLE print ADD COLUMN work_id uuid;

INSERT INTO work (id, kind, fingerprint, input, session_id, state, progress, detail, problem, asked_at)
SELECT gen_random_uuid(), 'print', print.id::text, jsonb_build_object('print_id', print.id), part.session_id,
       CASE print.state WHEN 'ready' THEN 'done' WHEN 'rendering' THEN 'waiting' ELSE print.state END,
       CASE print.state WHEN 'ready' THEN 1 ELSE 0 END,
       CASE WHEN print.times_real_time IS NULL THEN '{}'
            ELSE jsonb_build_object('times_real_time', print.times_real_time) END,
       print.problem, print.asked_at
FROM print JOIN material ON material.id = print.material_id JOIN part ON part.id = material.part_id;

UPDATE print SET work_id = work.id FROM work WHERE work.kind = 'print' AND work.fingerprint = print.id::text;

ALTER TABLE print
    ALTER COLUMN work_id SET NOT NULL,
    ADD CONSTRAINT print_work_fk FOREIGN KEY (work_id) REFERENCES work DEFERRABLE INITIALLY DEFERRED,
    DROP CONSTRAINT print_ready_whole,
    DROP COLUMN state,
    DROP COLUMN progress,
    DROP COLUMN times_real_time,
    DROP COLUMN problem,
    DROP COLUMN job_id,
    DROP COLUMN asking,
    ADD CONSTRAINT print_whole CHECK (
        (file IS NULL) = (sha256 IS NULL) AND (file IS NULL) = (frames IS NULL) AND (file IS NULL) = (origin IS NULL)
    );
CREATE INDEX print_of_work ON print (work_id);
