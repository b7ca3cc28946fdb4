-- What a take's DI stands for in volts, where a person said so; else its rig sheet tells.
ALTER TABLE take ADD COLUMN di_full_scale_v double precision
    CONSTRAINT take_di_full_scale_positive CHECK (di_full_scale_v BETWEEN 0.001 AND 500);

-- What was measured of a tone, as it sounds, for an instrument.
CREATE TABLE tone_measure (
    fingerprint text NOT NULL,
    instrument  text NOT NULL,
    measured_by integer NOT NULL,
    figures     jsonb NOT NULL,
    thirds_db   double precision[] NOT NULL,
    CONSTRAINT tone_measure_pk PRIMARY KEY (fingerprint, instrument)
);

-- The bench of a part: the tone that is being worked out there, what goes round through it, what it is held against.
CREATE TABLE bench (
    id               uuid PRIMARY KEY CONSTRAINT bench_part_fk REFERENCES part ON DELETE CASCADE,
    -- The tone as it is turned, and the revision that it was taken from.
    document         jsonb NOT NULL,
    tone_revision_id uuid CONSTRAINT bench_tone_revision_fk REFERENCES tone_revision ON DELETE SET NULL,
    -- What is heard through it: null, what the part sounds like; and which bars.
    material_id      uuid CONSTRAINT bench_material_fk REFERENCES material ON DELETE SET NULL,
    from_bar         integer,
    to_bar           integer,
    -- Put aside with a key, at most two: {"A": document, "B": document}.
    aside            jsonb NOT NULL DEFAULT '{}',
    -- What it is compared with: [{"kind": …, "id": …}, …], and which is heard.
    beside           jsonb NOT NULL DEFAULT '[]',
    heard            text NOT NULL DEFAULT 'tone'
);

CREATE INDEX bench_of_revision ON bench (tone_revision_id);
CREATE INDEX bench_of_material ON bench (material_id);
