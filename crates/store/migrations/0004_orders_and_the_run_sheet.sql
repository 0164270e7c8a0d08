-- Orders as a lab keeps them, a list of products, and a run sheet that several workers on several machines work through.

ALTER TABLE orders
    ADD COLUMN purpose            VARCHAR(200)    NOT NULL DEFAULT '' AFTER client,
    ADD COLUMN notes              TEXT            NOT NULL DEFAULT '' AFTER due_on,
    -- What pictures that come in are to become, unless they say otherwise.
    ADD COLUMN print              TEXT            NULL AFTER notes,
    ADD COLUMN house_treatment_id BIGINT UNSIGNED NULL AFTER print,
    -- Prints whose own pixels give less are pointed out before a run.
    ADD COLUMN least_ppi          DOUBLE          NULL AFTER house_treatment_id,
    -- What the shop that sent it calls it.
    ADD COLUMN reference          VARCHAR(100)    NULL UNIQUE AFTER least_ppi,
    ADD COLUMN archived_at        DATETIME(3)     NULL,
    ADD COLUMN removed_at         DATETIME(3)     NULL,
    ADD FOREIGN KEY (house_treatment_id) REFERENCES house_treatments (id) ON DELETE SET NULL;

CREATE TABLE products (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name       VARCHAR(100)    NOT NULL UNIQUE,
    print      TEXT            NOT NULL,
    least_ppi  DOUBLE          NULL,
    created_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;

ALTER TABLE jobs
    MODIFY COLUMN state ENUM ('waiting', 'paused', 'running', 'done', 'failed', 'cancelled') NOT NULL DEFAULT 'waiting',
    ADD COLUMN stage           ENUM ('reading', 'computing', 'keeping') NULL AFTER state,
    ADD COLUMN pause_requested BOOLEAN     NOT NULL DEFAULT FALSE AFTER cancel_requested,
    -- Higher ones go first; among equals the lower place.
    ADD COLUMN priority        TINYINT     NOT NULL DEFAULT 0,
    ADD COLUMN place           DOUBLE      NOT NULL DEFAULT 0,
    -- Seconds that it was forecast to take when it was queued.
    ADD COLUMN forecast        DOUBLE      NULL AFTER seconds_left,
    -- Put off until then, for want of something that may come back: room on the disk, the file store.
    ADD COLUMN not_before      DATETIME(3) NULL,
    ADD KEY by_turn (state, priority, place);

UPDATE jobs SET place = id;

ALTER TABLE enlargements
    ADD COLUMN verdict    ENUM ('accepted', 'sent_back') NULL,
    ADD COLUMN note       VARCHAR(500) NOT NULL DEFAULT '',
    ADD COLUMN removed_at DATETIME(3)  NULL;

-- Who works: each worker says so every other second.
CREATE TABLE workers (
    name    VARCHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    machine VARCHAR(100) NOT NULL,
    job_id  BIGINT UNSIGNED NULL,
    seen_at DATETIME(3)  NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;

-- What each machine does in a second, measured and corrected by runs.
CREATE TABLE machines (
    name  VARCHAR(100) NOT NULL PRIMARY KEY,
    rates MEDIUMTEXT   NOT NULL
) DEFAULT CHARSET = utf8mb4;

-- Switches of the whole installation, by name.
CREATE TABLE settings (
    name  VARCHAR(100) NOT NULL PRIMARY KEY,
    value TEXT         NOT NULL
) DEFAULT CHARSET = utf8mb4;
