-- Takes: any number of windows in one take, what the device lost, what a person thinks of it, where it was moved to.

-- How a session rolls (fatsignal.core.takes.roll_plan.RollSettings).
ALTER TABLE session ADD COLUMN roll jsonb NOT NULL DEFAULT '{}';

ALTER TABLE take
    ADD COLUMN windows int8multirange,
    ADD COLUMN by_hand boolean NOT NULL DEFAULT false,
    -- Frames of the files that are silence because the device lost them: [[at, frames], ...].
    ADD COLUMN gaps jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN rating text CONSTRAINT take_rating_known CHECK (rating IN ('starred', 'struck')),
    -- By how much a person moved it away from its place; its section may have moved it besides.
    ADD COLUMN slip_frames bigint NOT NULL DEFAULT 0,
    -- What the program has to say of it; `note` is the person's own.
    ADD COLUMN said text NOT NULL DEFAULT '',
    -- Passes of one roll, and parts that rolled together, have it in common.
    ADD COLUMN roll_id uuid;

UPDATE take SET windows = int8multirange(int8range(window_from_frame, window_to_frame)), said = note, note = '';

ALTER TABLE take
    ALTER COLUMN windows SET NOT NULL,
    DROP CONSTRAINT take_window_inside,
    DROP COLUMN window_from_frame,
    DROP COLUMN window_to_frame,
    -- Empty is allowed: a roll in which nothing was punched in is kept whole, and used nowhere yet.
    ADD CONSTRAINT take_windows_inside CHECK (windows <@ int8range(from_frame, from_frame + frames));

-- The tone whose sound was printed beside the DI.
ALTER TABLE take ADD COLUMN sim_tone jsonb;

-- Takes of other parts that played while it was recorded: what it may have followed.
ALTER TABLE take ADD COLUMN heard uuid[] NOT NULL DEFAULT '{}';

-- How a part is heard by who plays it (fatsignal.core.cue.monitoring); a kit keeps it too.
ALTER TABLE part ADD COLUMN monitoring jsonb NOT NULL DEFAULT '{}';
ALTER TABLE kit ADD COLUMN monitoring jsonb NOT NULL DEFAULT '{}';

-- Levels and pans of the parts beside each other; cues start as a copy of it and go their own way.
ALTER TABLE session ADD COLUMN blend jsonb NOT NULL DEFAULT '{}';

-- What one listener hears (fatsignal.core.cue.mix.CueMix).
CREATE TABLE cue (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    session_id uuid NOT NULL CONSTRAINT cue_session_fk REFERENCES session ON DELETE CASCADE,
    name       text NOT NULL CONSTRAINT cue_name_present CHECK (btrim(name) <> ''),
    mix        jsonb NOT NULL DEFAULT '{}',
    made_at    timestamptz NOT NULL DEFAULT clock_timestamp(),
    CONSTRAINT cue_name_unique UNIQUE (session_id, name)
);

-- Every session has the player's own to begin with.
INSERT INTO cue (session_id, name) SELECT id, 'Me' FROM session;
