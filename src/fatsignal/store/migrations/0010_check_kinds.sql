-- Which kinds of checks there are is the program's to know.
ALTER TABLE rig_check DROP CONSTRAINT rig_check_kind_known;
ALTER TABLE rig_check ADD CONSTRAINT rig_check_kind_is_a_word CHECK (kind ~ '^[a-z_]{1,40}$');
