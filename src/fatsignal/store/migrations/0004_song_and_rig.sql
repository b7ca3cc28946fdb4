-- Song: tempo and meter as a map over the bars, the click's settings, a backing track. Rig: kits, frozen rig sheets, checks.

ALTER TABLE session
    ADD COLUMN reference_pitch_hz numeric(6, 2) NOT NULL DEFAULT 440
        CONSTRAINT session_reference_pitch_range CHECK (reference_pitch_hz BETWEEN 380 AND 480),
    -- Lists of changes, each at a bar (fatsignal.core.timing.tempo); tempi are exact fractions as text.
    ADD COLUMN tempos jsonb,
    ADD COLUMN meters jsonb,
    -- Where bar 1 lies on the time line; audio stays in samples when the tempo changes, and so does this once there is audio.
    ADD COLUMN bar_one_frame bigint,
    ADD COLUMN song_bars integer CONSTRAINT session_song_bars_range CHECK (song_bars BETWEEN 1 AND 2000),
    ADD COLUMN click jsonb NOT NULL DEFAULT '{}',
    ADD COLUMN arm_together boolean NOT NULL DEFAULT false;

UPDATE session SET
    tempos = jsonb_build_array(jsonb_build_object('bar', 1, 'bpm', tempo_bpm, 'ramp', false, 'meant', true)),
    meters = jsonb_build_array(jsonb_build_object('bar', 1, 'beats', beats_per_bar, 'unit', 4, 'meant', true)),
    bar_one_frame = round(
        lead_in_bars * beats_per_bar * 60.0 * rate_hz * coalesce(nullif(split_part(tempo_bpm, '/', 2), ''), '1')::numeric
        / split_part(tempo_bpm, '/', 1)::numeric
    ),
    song_bars = greatest(1, (SELECT max(first_bar + bars - 1) FROM section WHERE section.session_id = session.id)),
    click = jsonb_build_object('roll_count_in_bars', count_in_bars);

ALTER TABLE session
    ALTER COLUMN tempos SET NOT NULL,
    ALTER COLUMN meters SET NOT NULL,
    ALTER COLUMN bar_one_frame SET NOT NULL,
    ALTER COLUMN song_bars SET NOT NULL,
    DROP COLUMN tempo_bpm,
    DROP COLUMN beats_per_bar,
    DROP COLUMN lead_in_bars,
    DROP COLUMN count_in_bars;

-- Sections change places in one statement after the other; the order is checked at the end.
ALTER TABLE section
    DROP CONSTRAINT section_position_unique,
    ADD CONSTRAINT section_position_unique UNIQUE (session_id, position) DEFERRABLE INITIALLY DEFERRED;

-- Several may be armed in a session that arms together; the store disarms the others in one that does not.
DROP INDEX part_one_armed;

-- Chord shapes that the part plays: a name and a fret (or null) for each string.
ALTER TABLE part ADD COLUMN chords jsonb NOT NULL DEFAULT '[]';

-- Written notes whose bars are gone, by their section: they come back with it.
ALTER TABLE part ADD COLUMN cut jsonb NOT NULL DEFAULT '[]';

-- Where a take was recorded: a section that was moved takes its takes along, and what was moved can be told.
ALTER TABLE take ADD COLUMN recorded_frame bigint;
UPDATE take SET recorded_frame = from_frame;
ALTER TABLE take ALTER COLUMN recorded_frame SET NOT NULL;

-- The first version kept a pickup's load as plain values; a rig now names its inputs.
UPDATE part SET rig = jsonb_build_object(
    'instrument', rig ->> 'instrument',
    'string_volts', coalesce(rig -> 'string_volts', '0.85'),
    'pickup', jsonb_build_object(
        'kind', 'single coil',
        'inductance_h', coalesce(rig -> 'pickup_inductance_h', '2.5'),
        'resistance_ohm', coalesce(rig -> 'pickup_resistance_ohm', '6000'),
        'capacitance_farad', coalesce(rig -> 'pickup_capacitance_farad', '1.2e-10')
    ),
    'amp', jsonb_build_object(
        'name', coalesce(rig -> 'amp_name', '"valve combo"'),
        'blocks', coalesce(rig -> 'amp', '[]'),
        'speaker', coalesce(rig -> 'speaker', '"1x12 open"')
    ),
    'mics', coalesce((
        SELECT jsonb_agg(
            (mic - 'gain_db') || jsonb_build_object('input', jsonb_build_object(
                'number', place + 1, 'kind', 'microphone', 'gain_db', (mic ->> 'gain_db')::numeric + 41
            )) ORDER BY place
        )
        FROM jsonb_array_elements(rig -> 'mics') WITH ORDINALITY AS found (mic, place)
    ), '[]')
);

CREATE TABLE backing (
    id           uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    session_id   uuid NOT NULL CONSTRAINT backing_session_fk REFERENCES session ON DELETE CASCADE,
    name         text NOT NULL CONSTRAINT backing_name_present CHECK (btrim(name) <> ''),
    -- Relative to the session's folder; converted to its rate, otherwise as it came.
    file         text NOT NULL,
    origin       text NOT NULL CONSTRAINT backing_origin_known CHECK (origin IN ('file', 'computer')),
    frames       bigint NOT NULL CONSTRAINT backing_frames_range CHECK (frames > 0),
    channels     smallint NOT NULL CONSTRAINT backing_channels_range CHECK (channels BETWEEN 1 AND 2),
    placed_frame bigint NOT NULL,
    gain_db      real NOT NULL DEFAULT 0 CONSTRAINT backing_gain_range CHECK (gain_db BETWEEN -60 AND 24),
    loudness_lufs real,
    -- What the core heard in it: tempo, first downbeat, confidence, drift (fatsignal.core.timing.pulse); null before.
    pulse        jsonb,
    added_at     timestamptz NOT NULL DEFAULT clock_timestamp()
);

CREATE TABLE kit (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    name       text NOT NULL CONSTRAINT kit_name_unique UNIQUE CONSTRAINT kit_name_present CHECK (btrim(name) <> ''),
    instrument text NOT NULL,
    use        text NOT NULL DEFAULT '',
    words      text[] NOT NULL DEFAULT '{}',
    rig        jsonb NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT clock_timestamp()
);

CREATE TABLE rig_sheet (
    id         uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    part_id    uuid NOT NULL CONSTRAINT rig_sheet_part_fk REFERENCES part ON DELETE CASCADE,
    name       text NOT NULL CONSTRAINT rig_sheet_name_present CHECK (btrim(name) <> ''),
    -- Rig, interface and what the checks said, all as they were: a sheet never changes.
    frozen     jsonb NOT NULL,
    made_at    timestamptz NOT NULL DEFAULT clock_timestamp()
);

CREATE FUNCTION refuse_sheet_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'a rig sheet is frozen: make a new one';
END $$;

CREATE TRIGGER rig_sheet_frozen BEFORE UPDATE ON rig_sheet FOR EACH ROW EXECUTE FUNCTION refuse_sheet_change();

CREATE TABLE rig_check (
    id      uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    part_id uuid NOT NULL CONSTRAINT rig_check_part_fk REFERENCES part ON DELETE CASCADE,
    kind    text NOT NULL CONSTRAINT rig_check_kind_known
            CHECK (kind IN ('level', 'tuning', 'chords', 'noise', 'latency', 'bleed')),
    verdict text NOT NULL CONSTRAINT rig_check_verdict_known CHECK (verdict IN ('good', 'look', 'fix')),
    says    text NOT NULL,
    result  jsonb NOT NULL,
    made_at timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX rig_check_newest ON rig_check (part_id, kind, made_at DESC);

CREATE TABLE interface (
    name     text PRIMARY KEY,
    settings jsonb NOT NULL
);

-- The measured round trip: by how much a take is placed earlier than it arrived.
CREATE TABLE record_offset (
    interface     text NOT NULL CONSTRAINT record_offset_interface_fk REFERENCES interface ON DELETE CASCADE,
    rate_hz       integer NOT NULL,
    buffer_frames integer NOT NULL,
    offset_frames double precision NOT NULL,
    spread_frames double precision NOT NULL,
    measured_at   timestamptz NOT NULL DEFAULT clock_timestamp(),
    PRIMARY KEY (interface, rate_hz, buffer_frames)
);
