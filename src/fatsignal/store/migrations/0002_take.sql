-- A take is one pass of a part. Its channels are one clip: one place, one length, one window.

CREATE TABLE take (
    id                uuid PRIMARY KEY,
    part_id           uuid NOT NULL CONSTRAINT take_part_fk REFERENCES part ON DELETE CASCADE,
    number            integer NOT NULL CONSTRAINT take_number_range CHECK (number >= 1),
    recorded_at       timestamptz NOT NULL,
    rate_hz           integer NOT NULL CONSTRAINT take_rate_range CHECK (rate_hz BETWEEN 8000 AND 384000),
    -- Frames from the session's zero; what lies outside the window is kept as handles.
    from_frame        bigint NOT NULL,
    frames            bigint NOT NULL CONSTRAINT take_frames_range CHECK (frames > 0),
    window_from_frame bigint NOT NULL,
    window_to_frame   bigint NOT NULL,
    origin            text NOT NULL CONSTRAINT take_origin_known CHECK (origin IN ('rolled', 'imported', 'recovered')),
    rig_sheet         jsonb NOT NULL,
    note              text NOT NULL DEFAULT '',
    folder            text NOT NULL,
    binned_at         timestamptz,
    CONSTRAINT take_number_unique UNIQUE (part_id, number),
    CONSTRAINT take_window_inside CHECK (
        window_from_frame >= from_frame AND window_to_frame > window_from_frame
        AND window_to_frame <= from_frame + frames
    )
);

CREATE TABLE take_channel (
    take_id   uuid NOT NULL CONSTRAINT take_channel_take_fk REFERENCES take ON DELETE CASCADE,
    position  smallint NOT NULL,
    name      text NOT NULL,
    kind      text NOT NULL CONSTRAINT take_channel_kind_known CHECK (kind IN ('di', 'mic', 'sim')),
    -- File name inside the take's folder.
    file      text NOT NULL,
    sha256    text NOT NULL CONSTRAINT take_channel_sha256_form CHECK (sha256 ~ '^[0-9a-f]{64}$'),
    -- Level figures over the window (fatsignal.takes.checks).
    checks    jsonb NOT NULL,
    PRIMARY KEY (take_id, position)
);
