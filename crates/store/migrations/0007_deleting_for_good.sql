-- Files of what was deleted for good: named in the same transaction, crossed off once they are gone, so that a file store that
-- cannot be reached, or a program that dies, leaves nothing behind.

CREATE TABLE leaving_files (
    file_key VARCHAR(400) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    -- Of an original: its content, which another order may have too.
    content  CHAR(64) CHARACTER SET ascii NULL
) DEFAULT CHARSET = utf8mb4;

-- Of an order that was deleted for good only this stays: a shop's feed that still lists it must not bring it back.
CREATE TABLE deleted_orders (
    id         BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    reference  VARCHAR(100)    NULL UNIQUE,
    deleted_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;
