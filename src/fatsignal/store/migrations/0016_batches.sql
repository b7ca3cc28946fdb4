-- A print is made with settings of its own (oversampling, depth, what rings on) and of a voltage: the same take through
-- the same tone may be printed with others. Those from before were made with the tone's own, at 24 bits.
ALTER TABLE print
    ADD COLUMN settings jsonb NOT NULL DEFAULT '{}',
    ADD COLUMN settings_fingerprint text NOT NULL DEFAULT '',
    ADD COLUMN channels smallint NOT NULL DEFAULT 1 CONSTRAINT print_channels_known CHECK (channels IN (1, 2)),
    DROP CONSTRAINT print_once,
    ADD CONSTRAINT print_once UNIQUE (material_id, material_fingerprint, tone_revision_id, settings_fingerprint);

-- What is to be printed in the next batch: the tones that are columns, the marked cells, the settings.
CREATE TABLE print_plan (
    session_id uuid PRIMARY KEY CONSTRAINT print_plan_session_fk REFERENCES session ON DELETE CASCADE,
    plan       jsonb NOT NULL
);

-- The tone through which a part is heard in the song, where it is printed, instead of its miked amp.
ALTER TABLE part ADD COLUMN heard_through uuid CONSTRAINT part_heard_through_fk REFERENCES tone ON DELETE SET NULL;
CREATE INDEX part_heard_through_idx ON part (heard_through);
