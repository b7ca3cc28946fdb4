-- Sounds of one's own that tones are held against on the bench: files that were brought in, in the session's folder.
CREATE TABLE reference_sound (
    id         uuid PRIMARY KEY,
    session_id uuid NOT NULL CONSTRAINT reference_sound_session_fk REFERENCES session ON DELETE CASCADE,
    name       text NOT NULL CONSTRAINT reference_sound_name_present CHECK (btrim(name) <> ''),
    file       text NOT NULL,
    sha256     text NOT NULL,
    frames     bigint NOT NULL CONSTRAINT reference_sound_frames_range CHECK (frames > 0),
    channels   smallint NOT NULL CONSTRAINT reference_sound_channels_range CHECK (channels BETWEEN 1 AND 2),
    added_at   timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX reference_sound_of_session ON reference_sound (session_id);
