-- Impulse responses of one's own that were brought in; the files lie in the data folder, under these checksums.
CREATE TABLE impulse_response (
    sha256     text PRIMARY KEY CONSTRAINT impulse_response_sha256_shape CHECK (sha256 ~ '^[0-9a-f]{64}$'),
    name       text NOT NULL CONSTRAINT impulse_response_name_present CHECK (btrim(name) <> ''),
    rate_hz    integer NOT NULL CONSTRAINT impulse_response_rate_range CHECK (rate_hz BETWEEN 8000 AND 384000),
    channels   smallint NOT NULL CONSTRAINT impulse_response_channels_range CHECK (channels BETWEEN 1 AND 2),
    sound_s    double precision NOT NULL CONSTRAINT impulse_response_sound_range CHECK (sound_s > 0),
    brought_at timestamptz NOT NULL DEFAULT now()
);
