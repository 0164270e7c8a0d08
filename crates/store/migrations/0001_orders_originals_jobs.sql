-- Structured settings (facts, treatments, records) are JSON texts: the core defines them, and a treatment's
-- hash is the hash of its text. Times are UTC.

CREATE TABLE orders (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    title      VARCHAR(200)    NOT NULL,
    client     VARCHAR(200)    NOT NULL DEFAULT '',
    due_on     DATE            NULL,
    created_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;

CREATE TABLE originals (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    order_id   BIGINT UNSIGNED NOT NULL,
    name       VARCHAR(255)    NOT NULL,
    hash       CHAR(64) CHARACTER SET ascii NOT NULL,
    facts      MEDIUMTEXT      NOT NULL,
    -- What the person last asked for, so that a reload shows it again.
    target     TEXT            NULL,
    removed_at DATETIME(3)     NULL,
    created_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    UNIQUE KEY same_file_in_order (order_id, hash),
    FOREIGN KEY (order_id) REFERENCES orders (id)
) DEFAULT CHARSET = utf8mb4;

CREATE TABLE treatments (
    hash CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    body MEDIUMTEXT NOT NULL
) DEFAULT CHARSET = utf8mb4;

CREATE TABLE jobs (
    id               BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    original_id      BIGINT UNSIGNED NOT NULL,
    treatment        CHAR(64) CHARACTER SET ascii NOT NULL,
    settings         TEXT            NOT NULL,
    file_name        VARCHAR(255)    NOT NULL,
    state            ENUM ('waiting', 'running', 'done', 'failed', 'cancelled') NOT NULL DEFAULT 'waiting',
    progress         DOUBLE          NOT NULL DEFAULT 0,
    seconds_left     DOUBLE          NULL,
    reason           TEXT            NULL,
    attempts         INT UNSIGNED    NOT NULL DEFAULT 0,
    cancel_requested BOOLEAN         NOT NULL DEFAULT FALSE,
    lease_owner      VARCHAR(64)     NULL,
    lease_until      DATETIME(3)     NULL,
    created_at       DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    started_at       DATETIME(3)     NULL,
    finished_at      DATETIME(3)     NULL,
    changed_at       DATETIME(6)     NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
    KEY by_state (state, id),
    KEY by_change (changed_at),
    FOREIGN KEY (original_id) REFERENCES originals (id),
    FOREIGN KEY (treatment) REFERENCES treatments (hash)
) DEFAULT CHARSET = utf8mb4;

CREATE TABLE enlargements (
    id          BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    original_id BIGINT UNSIGNED NOT NULL,
    job_id      BIGINT UNSIGNED NOT NULL UNIQUE,
    file_key    VARCHAR(400)    NOT NULL,
    bytes       BIGINT UNSIGNED NOT NULL,
    record      MEDIUMTEXT      NOT NULL,
    created_at  DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    FOREIGN KEY (original_id) REFERENCES originals (id),
    FOREIGN KEY (job_id) REFERENCES jobs (id)
) DEFAULT CHARSET = utf8mb4;
