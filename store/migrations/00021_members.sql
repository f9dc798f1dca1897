-- +goose Up
CREATE TABLE IF NOT EXISTS members (
  production CHAR(36) NOT NULL,
  account    CHAR(36) NOT NULL,
  role       ENUM('listener', 'editor', 'owner') NOT NULL,
  PRIMARY KEY (production, account),
  KEY (account),
  FOREIGN KEY (account) REFERENCES accounts (id) ON DELETE CASCADE,
  FOREIGN KEY (production) REFERENCES productions (id) ON DELETE CASCADE
);
