-- Bytes of files that came with signals or that tools fetched, by their hash.
CREATE TABLE blobs (
  hash TEXT PRIMARY KEY,              -- SHA-256, in hex
  data BLOB NOT NULL,
  at   INTEGER NOT NULL
);
-- What a message has beside its words, as JSON.
ALTER TABLE messages ADD COLUMN rich TEXT;

-- How far sources that cannot call us were looked at.
CREATE TABLE looks (
  source     TEXT PRIMARY KEY,
  connection TEXT NOT NULL,           -- '' where it is a table
  what       TEXT NOT NULL,           -- in words
  cursor     BLOB NOT NULL,           -- what the kind of source makes of it, as JSON
  looked     INTEGER NOT NULL,
  failures   INTEGER NOT NULL,        -- in a row
  problem    TEXT NOT NULL            -- of the last look; '' where it went well
) WITHOUT ROWID;
CREATE INDEX looks_by_connection ON looks (connection, what);

-- Rows of the workspace's own tables.
CREATE TABLE table_rows (
  n       INTEGER PRIMARY KEY AUTOINCREMENT,
  tbl     TEXT NOT NULL,
  key     TEXT,                       -- of the key column, where the table has one
  made    TEXT,                       -- idempotency key of the call that added it
  data    TEXT NOT NULL,              -- JSON
  added   INTEGER NOT NULL,
  changed INTEGER NOT NULL
);
CREATE UNIQUE INDEX table_rows_by_key ON table_rows (tbl, key) WHERE key IS NOT NULL;
CREATE UNIQUE INDEX table_rows_by_call ON table_rows (tbl, made) WHERE made IS NOT NULL;
CREATE INDEX table_rows_by_table ON table_rows (tbl, n);
-- What happened to rows, for triggers; kept until they have looked.
CREATE TABLE row_changes (
  n    INTEGER PRIMARY KEY AUTOINCREMENT,
  tbl  TEXT NOT NULL,
  row  INTEGER NOT NULL,
  did  TEXT NOT NULL CHECK (did IN ('added', 'changed')),
  data TEXT NOT NULL,
  at   INTEGER NOT NULL,
  run  TEXT NOT NULL                  -- whose call it was; '' for nobody's
);

-- How connections fare: their last test, and their last use.
CREATE TABLE health (
  connection TEXT PRIMARY KEY,
  tested     INTEGER,
  fine       INTEGER,                 -- the test's verdict
  verdict    TEXT NOT NULL DEFAULT '',
  remedy     TEXT NOT NULL DEFAULT '',
  worked     INTEGER,                 -- last call that was answered
  failed     INTEGER,
  problem    TEXT NOT NULL DEFAULT '' -- of the last call that failed
) WITHOUT ROWID;
-- OAuth tokens; the tokens themselves are sealed secrets.
CREATE TABLE oauth_tokens (
  connection TEXT NOT NULL,
  person     TEXT NOT NULL,           -- e-mail, '' for the service itself
  scopes     TEXT NOT NULL,
  expires    INTEGER,                 -- of the access token
  problem    TEXT NOT NULL DEFAULT '',-- why it cannot be renewed
  at         INTEGER NOT NULL,
  PRIMARY KEY (connection, person)
) WITHOUT ROWID;
-- Sign-ins at other services that are under way.
CREATE TABLE oauth_errands (
  state      BLOB PRIMARY KEY,        -- SHA-256 of it
  connection TEXT NOT NULL,
  person     TEXT NOT NULL,
  verifier   BLOB NOT NULL,           -- of PKCE, sealed
  redirect   TEXT NOT NULL,
  by         TEXT NOT NULL,
  expires    INTEGER NOT NULL
) WITHOUT ROWID;
-- What MCP servers said they offer.
CREATE TABLE offers (
  connection TEXT PRIMARY KEY,
  tools      BLOB NOT NULL,           -- JSON
  at         INTEGER NOT NULL
) WITHOUT ROWID;
