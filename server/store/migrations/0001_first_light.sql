-- People who sign in, their sessions and their programs' tokens.
CREATE TABLE people (
  id       INTEGER PRIMARY KEY,
  email    TEXT NOT NULL UNIQUE COLLATE NOCASE,
  name     TEXT NOT NULL,
  role     TEXT NOT NULL CHECK (role IN ('owner', 'builder', 'reviewer', 'reader')),
  password TEXT NOT NULL,             -- argon2id, encoded with its parameters
  created  INTEGER NOT NULL
);
CREATE TABLE sessions (
  hash    BLOB PRIMARY KEY,           -- SHA-256 of the cookie
  person  INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  expires INTEGER NOT NULL
) WITHOUT ROWID;
CREATE TABLE tokens (
  hash    BLOB PRIMARY KEY,           -- SHA-256 of the token
  person  INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  name    TEXT NOT NULL,
  created INTEGER NOT NULL
) WITHOUT ROWID;
CREATE TABLE invitations (
  hash    BLOB PRIMARY KEY,           -- SHA-256 of the link's key
  role    TEXT NOT NULL,
  expires INTEGER NOT NULL
) WITHOUT ROWID;

-- The workspace's files, byte for byte as they were written.
CREATE TABLE files (
  path    TEXT PRIMARY KEY,
  text    TEXT NOT NULL,
  changed INTEGER NOT NULL,
  by      TEXT NOT NULL
) WITHOUT ROWID;
-- What runs were started with: a workflow and its agents, kept by content.
CREATE TABLE definitions (
  hash  TEXT PRIMARY KEY,
  files TEXT NOT NULL                 -- JSON: path to text
) WITHOUT ROWID;
CREATE TABLE secrets (
  connection TEXT PRIMARY KEY,
  sealed     BLOB NOT NULL,
  changed    INTEGER NOT NULL
) WITHOUT ROWID;

-- Runs: the journal is the truth, the rest can be built from it.
CREATE TABLE runs (
  id         TEXT PRIMARY KEY,
  workflow   TEXT NOT NULL,
  definition TEXT NOT NULL,
  status     TEXT NOT NULL,
  because    TEXT NOT NULL DEFAULT '',
  kind       TEXT NOT NULL,
  about      TEXT NOT NULL,           -- a line people know the run by
  thread     TEXT,                    -- workflow and conversation; one run of it moves at a time
  seq        INTEGER NOT NULL,
  accepted   INTEGER NOT NULL,
  ended      INTEGER,
  input      INTEGER NOT NULL DEFAULT 0,
  output     INTEGER NOT NULL DEFAULT 0,
  cost       INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE INDEX runs_by_workflow ON runs (workflow, id);
CREATE INDEX runs_open ON runs (status, id) WHERE ended IS NULL;
CREATE INDEX runs_by_thread ON runs (thread, id) WHERE thread IS NOT NULL;
-- A table with row ids: entries are appended in order and stay whole inside
-- their page, where the other kind of table would spill most of them.
CREATE TABLE journal (
  n     INTEGER PRIMARY KEY,
  run   TEXT NOT NULL,
  seq   INTEGER NOT NULL,
  entry BLOB NOT NULL
);
CREATE UNIQUE INDEX journal_by_run ON journal (run, seq);
-- One row for each delivery that was taken in, so that a repeat is harmless.
CREATE TABLE deliveries (
  source TEXT NOT NULL,               -- workflow and trigger
  id     TEXT NOT NULL,
  run    TEXT NOT NULL,
  PRIMARY KEY (source, id)
) WITHOUT ROWID;

CREATE TABLE reviews (
  id       TEXT PRIMARY KEY,
  run      TEXT NOT NULL,
  workflow TEXT NOT NULL,
  of       TEXT NOT NULL,
  title    TEXT NOT NULL,
  asked    INTEGER NOT NULL,
  decided  INTEGER,
  review   TEXT NOT NULL              -- JSON
) WITHOUT ROWID;
CREATE INDEX reviews_open ON reviews (asked) WHERE decided IS NULL;
CREATE INDEX reviews_by_run ON reviews (run);

-- Conversations: what was written, and what agents remember of it.
CREATE TABLE messages (
  n      INTEGER PRIMARY KEY,
  thread TEXT NOT NULL,
  run    TEXT NOT NULL,
  who    TEXT NOT NULL CHECK (who IN ('person', 'agent', 'note')),
  name   TEXT NOT NULL,
  text   TEXT NOT NULL,
  at     INTEGER NOT NULL
);
CREATE INDEX messages_by_thread ON messages (thread, n);
CREATE TABLE memory (
  n        INTEGER PRIMARY KEY,
  memory   TEXT NOT NULL,
  run      TEXT NOT NULL,
  messages TEXT NOT NULL              -- JSON
);
CREATE INDEX memory_by_key ON memory (memory, n);

CREATE TABLE schedules (
  source TEXT PRIMARY KEY,            -- workflow and trigger
  next   INTEGER NOT NULL
) WITHOUT ROWID;
