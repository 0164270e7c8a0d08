-- What a person looks at, keeps and decides: spots of a picture, treatments under a name of the house, and who won.

ALTER TABLE originals ADD COLUMN spots TEXT NULL AFTER wish;

CREATE TABLE house_treatments (
    id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name       VARCHAR(100)    NOT NULL UNIQUE,
    steps      MEDIUMTEXT      NOT NULL,
    created_at DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;

CREATE TABLE decisions (
    id          BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    original_id BIGINT UNSIGNED NOT NULL,
    body        MEDIUMTEXT      NOT NULL,
    created_at  DATETIME(3)     NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    FOREIGN KEY (original_id) REFERENCES originals (id)
) DEFAULT CHARSET = utf8mb4;
