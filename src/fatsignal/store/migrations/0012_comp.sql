-- Comps: what a person settled of a part, in versions of which one is current.

CREATE TABLE comp (
    id       uuid PRIMARY KEY,
    part_id  uuid NOT NULL CONSTRAINT comp_part_fk REFERENCES part ON DELETE CASCADE,
    number   integer NOT NULL CONSTRAINT comp_number_range CHECK (number >= 1),
    name     text NOT NULL CONSTRAINT comp_name_present CHECK (btrim(name) <> ''),
    -- Settled places and pieces (fatsignal.core.comp.document).
    document jsonb NOT NULL,
    made_at  timestamptz NOT NULL DEFAULT clock_timestamp(),
    CONSTRAINT comp_number_unique UNIQUE (part_id, number)
);

-- The version that sounds; without one the part follows its takes.
ALTER TABLE part ADD COLUMN comp_id uuid CONSTRAINT part_comp_fk REFERENCES comp ON DELETE SET NULL;
