-- What lies on the bench is compared blind too: its sounds have words for keys, and may be changed between two rounds.
ALTER TABLE blind_test DROP CONSTRAINT blind_test_kind_known;
ALTER TABLE blind_test ADD CONSTRAINT blind_test_kind_known CHECK (kind IN ('trial', 'comp', 'tone'));
ALTER TABLE blind_test ALTER COLUMN chosen DROP DEFAULT;
ALTER TABLE blind_test ALTER COLUMN sounds TYPE text[], ALTER COLUMN chosen TYPE text[];
ALTER TABLE blind_test ALTER COLUMN chosen SET DEFAULT '{}';
-- The fingerprint of what makes the sounds what they are, where that can change.
ALTER TABLE blind_test ADD COLUMN made_of text NOT NULL DEFAULT '';
