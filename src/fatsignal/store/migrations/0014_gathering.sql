-- A take may come to another part, and its channels be called what that part's are: they were recorded under their own
-- names, and what was kept of them is found by those. [[position, kind, name], …]
ALTER TABLE take ADD COLUMN channel_names jsonb NOT NULL DEFAULT '[]';

-- A take's material is its part's.
CREATE FUNCTION move_material_with_take() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE material SET part_id = NEW.part_id WHERE id = NEW.id;
    RETURN NULL;
END
$$;

CREATE TRIGGER material_moves_with_take AFTER UPDATE OF part_id ON take
    FOR EACH ROW WHEN (OLD.part_id IS DISTINCT FROM NEW.part_id) EXECUTE FUNCTION move_material_with_take();
