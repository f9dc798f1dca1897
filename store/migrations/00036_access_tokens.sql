-- +goose Up
-- Tokens by which scripts ask for things, as an account or, where there are none, as nobody. Only the hash of the secret is kept.
CREATE TABLE IF NOT EXISTS access_tokens (
  id CHAR(36) NOT NULL PRIMARY KEY,
  name VARCHAR(120) NOT NULL UNIQUE,
  account CHAR(36) NULL,
  role VARCHAR(16) NOT NULL,
  hash CHAR(64) NOT NULL UNIQUE,
  expires DATETIME(6) NOT NULL,
  made DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (account) REFERENCES accounts (id) ON DELETE CASCADE
);
