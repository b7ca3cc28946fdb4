-- Whatever sounds is a material: a take is one, a comp will be another. What is made from sound refers to it.

CREATE TABLE material (
    id      uuid PRIMARY KEY,
    part_id uuid NOT NULL CONSTRAINT material_part_fk REFERENCES part ON DELETE CASCADE,
    kind    text NOT NULL CONSTRAINT material_kind_known CHECK (kind IN ('take', 'comp'))
);
CREATE INDEX material_of_part ON material (part_id);

INSERT INTO material (id, part_id, kind) SELECT id, part_id, 'take' FROM take;

-- A take has its material's id, and goes with it.
ALTER TABLE take ADD CONSTRAINT take_material_fk FOREIGN KEY (id) REFERENCES material ON DELETE CASCADE;

-- A print is of a material as it was: what that sounded like is told by its fingerprint. That of a take follows from
-- its files (fatsignal.core.material.material.fingerprint_of has the same rule).
ALTER TABLE print
    ADD COLUMN material_id uuid CONSTRAINT print_material_fk REFERENCES material ON DELETE CASCADE,
    ADD COLUMN material_fingerprint text NOT NULL DEFAULT '';

UPDATE print SET
    material_id = take_id,
    material_fingerprint = (
        SELECT encode(sha256(convert_to(
            string_agg(kind || ' ' || name || ' ' || sha256, E'\n' ORDER BY position), 'UTF8'
        )), 'hex')
        FROM take_channel WHERE take_channel.take_id = print.take_id
    );

ALTER TABLE print
    ALTER COLUMN material_id SET NOT NULL,
    ALTER COLUMN material_fingerprint DROP DEFAULT,
    DROP CONSTRAINT print_once,
    DROP COLUMN take_id,
    ADD CONSTRAINT print_once UNIQUE (material_id, material_fingerprint, tone_revision_id);

-- What is looked for by these was found by reading everything.
CREATE INDEX backing_of_session ON backing (session_id);
CREATE INDEX rig_sheet_of_part ON rig_sheet (part_id);
CREATE INDEX print_of_revision ON print (tone_revision_id);
CREATE INDEX print_of_job ON print (job_id);

-- 0004 had been run by some before it had this column.
ALTER TABLE part ADD COLUMN IF NOT EXISTS cut jsonb NOT NULL DEFAULT '[]';
