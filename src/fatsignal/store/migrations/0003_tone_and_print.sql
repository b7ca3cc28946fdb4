-- A tone's revisions never change; a print says from which audio and which revision it was made.

CREATE TABLE tone (
    id   uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    name text NOT NULL CONSTRAINT tone_name_unique UNIQUE
);

CREATE TABLE tone_revision (
    id          uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    tone_id     uuid NOT NULL CONSTRAINT tone_revision_tone_fk REFERENCES tone ON DELETE CASCADE,
    revision    integer NOT NULL CONSTRAINT tone_revision_range CHECK (revision >= 1),
    document    jsonb NOT NULL,
    fingerprint text NOT NULL,
    -- The clock, not the transaction: tones kept together keep their order.
    made_at     timestamptz NOT NULL DEFAULT clock_timestamp(),
    CONSTRAINT tone_revision_unique UNIQUE (tone_id, revision),
    CONSTRAINT tone_revision_new UNIQUE (tone_id, fingerprint)
);

CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'a tone revision is immutable: make a new one';
END $$;

CREATE TRIGGER tone_revision_immutable BEFORE UPDATE ON tone_revision
    FOR EACH ROW EXECUTE FUNCTION refuse_change();

CREATE TABLE print (
    id               uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    take_id          uuid NOT NULL CONSTRAINT print_take_fk REFERENCES take ON DELETE CASCADE,
    tone_revision_id uuid NOT NULL CONSTRAINT print_tone_revision_fk REFERENCES tone_revision,
    state            text NOT NULL DEFAULT 'waiting'
                     CONSTRAINT print_state_known CHECK (state IN ('waiting', 'rendering', 'ready', 'failed', 'stopped')),
    progress         real NOT NULL DEFAULT 0 CONSTRAINT print_progress_range CHECK (progress BETWEEN 0 AND 1),
    times_real_time  real,
    problem          text NOT NULL DEFAULT '',
    job_id           bigint,
    asked_at         timestamptz NOT NULL DEFAULT now(),
    -- Once ready: the file, and all that is needed to make it again, bit for bit.
    file             text,
    sha256           text,
    frames           bigint,
    origin           jsonb,
    checks           jsonb,
    CONSTRAINT print_once UNIQUE (take_id, tone_revision_id),
    CONSTRAINT print_ready_whole CHECK (
        state <> 'ready' OR (file IS NOT NULL AND sha256 IS NOT NULL AND frames IS NOT NULL AND origin IS NOT NULL)
    )
);
