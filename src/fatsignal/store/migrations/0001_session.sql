-- A session is one song; audio lies in plain folders, the database holds where and what.

CREATE TABLE session (
    id            uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    name          text NOT NULL CONSTRAINT session_name_present CHECK (btrim(name) <> ''),
    artist        text NOT NULL DEFAULT '',
    rate_hz       integer NOT NULL CONSTRAINT session_rate_range CHECK (rate_hz BETWEEN 8000 AND 384000),
    depth         text NOT NULL CONSTRAINT session_depth_known CHECK (depth IN ('16', '24', '32f')),
    -- An exact fraction, as "104" or "311/3": no rounding gathers over a song.
    tempo_bpm     text NOT NULL CONSTRAINT session_tempo_form CHECK (tempo_bpm ~ '^[0-9]+(/[0-9]+)?$'),
    beats_per_bar smallint NOT NULL CONSTRAINT session_meter_range CHECK (beats_per_bar BETWEEN 1 AND 32),
    lead_in_bars  smallint NOT NULL DEFAULT 2 CONSTRAINT session_lead_in_range CHECK (lead_in_bars BETWEEN 0 AND 16),
    count_in_bars smallint NOT NULL DEFAULT 1 CONSTRAINT session_count_in_range CHECK (count_in_bars BETWEEN 0 AND 4),
    -- Folder name below the data folder's `sessions`.
    folder        text NOT NULL CONSTRAINT session_folder_unique UNIQUE,
    created_at    timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE section (
    id          uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    session_id  uuid NOT NULL CONSTRAINT section_session_fk REFERENCES session ON DELETE CASCADE,
    position    integer NOT NULL,
    name        text NOT NULL CONSTRAINT section_name_present CHECK (btrim(name) <> ''),
    first_bar   integer NOT NULL CONSTRAINT section_first_bar_range CHECK (first_bar >= 1),
    bars        integer NOT NULL CONSTRAINT section_bars_range CHECK (bars BETWEEN 1 AND 1000),
    phrase_bars integer NOT NULL CONSTRAINT section_phrase_range CHECK (phrase_bars BETWEEN 1 AND bars),
    CONSTRAINT section_position_unique UNIQUE (session_id, position)
);

CREATE TABLE part (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    session_id uuid NOT NULL CONSTRAINT part_session_fk REFERENCES session ON DELETE CASCADE,
    position   integer NOT NULL,
    name       text NOT NULL CONSTRAINT part_name_present CHECK (btrim(name) <> ''),
    -- Rig set-up (fatsignal.rig.setup); frozen into each take as its rig sheet.
    rig        jsonb NOT NULL,
    -- What the simulated rig plays: a list of notes. Empty for parts that a person plays.
    written    jsonb NOT NULL DEFAULT '[]',
    armed      boolean NOT NULL DEFAULT false,
    CONSTRAINT part_position_unique UNIQUE (session_id, position),
    CONSTRAINT part_name_unique UNIQUE (session_id, name)
);

-- One part is armed at a time.
CREATE UNIQUE INDEX part_one_armed ON part (session_id) WHERE armed;
