-- Who may use an installation that is reachable from elsewhere, and who may look at an order without an account.

CREATE TABLE accounts (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name       VARCHAR(100)    NOT NULL UNIQUE,
    -- In the PHC string format, never the password itself.
    password   VARCHAR(255) CHARACTER SET ascii NOT NULL,
    role       ENUM ('technician', 'viewer') NOT NULL,
    created_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;

CREATE TABLE links (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    order_id   BIGINT UNSIGNED NOT NULL,
    -- SHA-256 of what the address holds: whoever reads the database cannot follow the link.
    token_hash CHAR(64) CHARACTER SET ascii NOT NULL UNIQUE,
    expires_at DATETIME(3)     NOT NULL,
    created_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    FOREIGN KEY (order_id) REFERENCES orders (id)
) DEFAULT CHARSET = utf8mb4;

-- What is sent to a printer, and what it answered.
CREATE TABLE printings (
    id             BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    enlargement_id BIGINT UNSIGNED NOT NULL,
    printer_job    VARCHAR(100)    NOT NULL DEFAULT '',
    state          ENUM ('accepted', 'refused', 'printed') NOT NULL,
    answer         VARCHAR(500)    NOT NULL DEFAULT '',
    created_at     DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    FOREIGN KEY (enlargement_id) REFERENCES enlargements (id)
) DEFAULT CHARSET = utf8mb4;
