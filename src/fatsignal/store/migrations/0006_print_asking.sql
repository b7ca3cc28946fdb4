-- A print that was stopped may be asked for again while its old rendering still winds down: each asking has a
-- number, and what an old one says does not count.
ALTER TABLE print ADD COLUMN asking integer NOT NULL DEFAULT 1;
