-- When a treatment was last kept: one that nothing refers to is swept out some days later.

ALTER TABLE treatments
    ADD COLUMN kept_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    ADD INDEX (kept_at);
