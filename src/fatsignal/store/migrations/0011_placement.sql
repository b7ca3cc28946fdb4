-- Placement: trial clips, each some seconds of a part with the rig that it was recorded with, and blind tests.

CREATE TABLE trial (
    id          uuid PRIMARY KEY,
    part_id     uuid NOT NULL CONSTRAINT trial_part_fk REFERENCES part ON DELETE CASCADE,
    number      integer NOT NULL CONSTRAINT trial_number_range CHECK (number >= 1),
    recorded_at timestamptz NOT NULL,
    rate_hz     integer NOT NULL CONSTRAINT trial_rate_range CHECK (rate_hz BETWEEN 8000 AND 384000),
    from_frame  bigint NOT NULL,
    frames      bigint NOT NULL CONSTRAINT trial_frames_range CHECK (frames > 0),
    -- What of it is listened to, on the session's time line: without count-in and handles.
    span        int8range NOT NULL,
    -- Frames of its files that the device lost: [[at, frames], ...].
    gaps        jsonb NOT NULL DEFAULT '[]',
    origin      text NOT NULL CONSTRAINT trial_origin_known CHECK (origin IN ('rolled', 'imported', 'recovered')),
    rig_sheet   jsonb NOT NULL,
    -- [{"name", "kind", "file", "sha256", "checks"}, ...], as those of a take.
    channels    jsonb NOT NULL,
    said        text NOT NULL DEFAULT '',
    note        text NOT NULL DEFAULT '',
    folder      text NOT NULL,
    binned_at   timestamptz,
    -- How its microphones are heard together (fatsignal.core.mics.blend).
    blend       jsonb NOT NULL DEFAULT '{}',
    CONSTRAINT trial_number_unique UNIQUE (part_id, number),
    CONSTRAINT trial_span_inside CHECK (span <@ int8range(from_frame, from_frame + frames) AND NOT isempty(span))
);

-- What is played for a trial, and which was chosen (fatsignal.core.mics.trial).
ALTER TABLE part ADD COLUMN placement jsonb NOT NULL DEFAULT '{}';

-- A blind test: what is compared, in which order it was dealt, what was chosen in each round.
CREATE TABLE blind_test (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    session_id uuid NOT NULL CONSTRAINT blind_test_session_fk REFERENCES session ON DELETE CASCADE,
    -- Of what kind they are; a page shows those of its own.
    kind       text NOT NULL CONSTRAINT blind_test_kind_known CHECK (kind IN ('trial')),
    subject_id uuid NOT NULL,
    sounds     uuid[] NOT NULL CONSTRAINT blind_test_sounds_range CHECK (cardinality(sounds) BETWEEN 2 AND 9),
    seed       bigint NOT NULL,
    -- The sound that was chosen in each round that is decided.
    chosen     uuid[] NOT NULL DEFAULT '{}',
    revealed   boolean NOT NULL DEFAULT false,
    begun_at   timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX blind_test_of_subject ON blind_test (subject_id, begun_at DESC);
