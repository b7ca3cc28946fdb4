-- A comp is a material too: prints are made of it. Its material outlives a version that is removed, which may come back.

INSERT INTO material (id, part_id, kind) SELECT id, part_id, 'comp' FROM comp;

ALTER TABLE comp ADD CONSTRAINT comp_material_fk FOREIGN KEY (id) REFERENCES material ON DELETE CASCADE;

-- Versions of a comp are compared blind too.
ALTER TABLE blind_test DROP CONSTRAINT blind_test_kind_known;
ALTER TABLE blind_test ADD CONSTRAINT blind_test_kind_known CHECK (kind IN ('trial', 'comp'));
