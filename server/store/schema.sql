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
  expires INTEGER NOT NULL,
  seen    INTEGER NOT NULL            -- about when it was used last
) WITHOUT ROWID;
-- Browsers somebody signed in with: others' guesses do not lock them out there.
CREATE TABLE browsers (
  hash    BLOB PRIMARY KEY,           -- SHA-256 of the browser's own cookie
  person  INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  expires INTEGER NOT NULL
) WITHOUT ROWID;
CREATE TABLE tokens (
  hash    BLOB PRIMARY KEY,           -- SHA-256 of the token
  person  INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  name    TEXT NOT NULL,
  created INTEGER NOT NULL,
  seen    INTEGER NOT NULL            -- about when it was used last
) WITHOUT ROWID;
-- Names at chat servers, and whose they are; codes somebody may write to show it.
CREATE TABLE chat_names (
  connection TEXT NOT NULL,
  handle     TEXT NOT NULL,
  person     INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  linked     INTEGER NOT NULL,
  PRIMARY KEY (connection, handle)
) WITHOUT ROWID;
CREATE TABLE chat_codes (
  hash       BLOB PRIMARY KEY,        -- SHA-256 of the code
  person     INTEGER NOT NULL REFERENCES people ON DELETE CASCADE,
  connection TEXT NOT NULL,
  expires    INTEGER NOT NULL
) WITHOUT ROWID;
CREATE TABLE invitations (
  hash    BLOB PRIMARY KEY,           -- SHA-256 of the link's key
  role    TEXT NOT NULL,
  expires INTEGER NOT NULL
) WITHOUT ROWID;

-- Who did what that touches safety.
CREATE TABLE audit (
  n         INTEGER PRIMARY KEY AUTOINCREMENT,
  at        INTEGER NOT NULL,
  did       TEXT NOT NULL,
  who       TEXT NOT NULL,            -- e-mail, or who somebody says they are
  came_from TEXT NOT NULL,            -- address; '' where it is not known
  about     TEXT NOT NULL,
  refused   INTEGER NOT NULL
);
CREATE INDEX audit_by_who ON audit (who, n);

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
  definition TEXT NOT NULL            -- JSON: files by path, and what of the workspace they depend on
) WITHOUT ROWID;
CREATE TABLE secrets (
  connection TEXT NOT NULL,
  place      TEXT NOT NULL,           -- where it is sent, and nowhere else; '' for what only verifies
  sealed     BLOB NOT NULL,
  changed    INTEGER NOT NULL,
  PRIMARY KEY (connection, place)
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
  head       INTEGER NOT NULL DEFAULT 0, -- tells the entry of that number from others that were to be it
  accepted   INTEGER NOT NULL,
  ended      INTEGER,
  input      INTEGER NOT NULL DEFAULT 0,
  output     INTEGER NOT NULL DEFAULT 0,
  cost       INTEGER NOT NULL DEFAULT 0,
  below      INTEGER NOT NULL DEFAULT 0, -- what the runs it called cost, beside
  -- Runs that wait for a time are found by it, and need not be in memory.
  wake INTEGER,
  -- What the limits of a workflow tell its runs apart by.
  key TEXT,
  -- 'parent' or 'failure' where a run's end is still to be told to somebody.
  tell TEXT,
  -- 'again' or 'try', and the run it came from, where no signal started it.
  origin     TEXT,                    -- call, again or try; NULL for a signal from outside
  origin_run TEXT,                    -- the run it came from
  -- By whom a called run was given up; it is stopped, at the next start at last.
  unwanted TEXT,
  -- The run that brought this one about, and how many did so in a row.
  cause TEXT,
  links INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE INDEX runs_by_workflow ON runs (workflow, id);
CREATE INDEX runs_open ON runs (status, id) WHERE ended IS NULL;
CREATE INDEX runs_called ON runs (origin_run) WHERE origin = 'call';
CREATE INDEX runs_by_thread ON runs (thread, id) WHERE thread IS NOT NULL;
-- What workflows were called, and till when: what runs recorded has the names there were.
CREATE TABLE renames (
  was    TEXT NOT NULL,
  at     INTEGER NOT NULL,
  is_now TEXT NOT NULL,
  PRIMARY KEY (was, at)
) WITHOUT ROWID;
-- The book of spending, made of the journals: what each workflow spent, with what it
-- called, and '' for all of them, by quarters of an hour. It goes back two months.
CREATE TABLE spending (
  workflow TEXT NOT NULL,
  quarter  INTEGER NOT NULL,          -- when it began
  cost     INTEGER NOT NULL,          -- in millionths of the currency
  PRIMARY KEY (workflow, quarter)
) WITHOUT ROWID;
-- What calls would cost that nobody knows of whether they happened, by the review that
-- asks, for each workflow they would count for, and '' for all.
CREATE TABLE doubts (
  review   TEXT NOT NULL,
  workflow TEXT NOT NULL,
  run      TEXT NOT NULL,
  cost     INTEGER NOT NULL,          -- in millionths of the currency
  PRIMARY KEY (review, workflow)
) WITHOUT ROWID;
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
  ask      TEXT NOT NULL,
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
  at     INTEGER NOT NULL,
  -- What a message has beside its words, as JSON.
  rich TEXT
);
CREATE INDEX messages_by_thread ON messages (thread, n);
CREATE TABLE memory (
  n        INTEGER PRIMARY KEY,
  memory   TEXT NOT NULL,
  run      TEXT NOT NULL,
  messages TEXT NOT NULL,             -- JSON
  agent    TEXT NOT NULL DEFAULT ''   -- who acted last
);
CREATE INDEX memory_by_key ON memory (memory, n);

-- Conversations that go on by themselves at a time, as an agent asked.
CREATE TABLE follow_ups (
  id     TEXT PRIMARY KEY,            -- of the delivery it will be
  run    TEXT NOT NULL,
  n      INTEGER NOT NULL,            -- of those the run set
  due    INTEGER NOT NULL,
  begins INTEGER NOT NULL DEFAULT 0,  -- its time has come: nobody takes it back any more
  signal TEXT NOT NULL                -- JSON
) WITHOUT ROWID;
CREATE INDEX follow_ups_by_due ON follow_ups (due);
CREATE INDEX follow_ups_by_run ON follow_ups (run, n);

-- Calls the other side works on that are no longer wanted, until it was told.
CREATE TABLE call_offs (
  run    TEXT NOT NULL,
  ref    TEXT NOT NULL,               -- what the other side calls it
  at     INTEGER NOT NULL,
  errand BLOB NOT NULL,               -- JSON
  PRIMARY KEY (run, ref)
) WITHOUT ROWID;

CREATE TABLE schedules (
  source TEXT PRIMARY KEY,            -- workflow and trigger
  next   INTEGER NOT NULL
) WITHOUT ROWID;

CREATE INDEX runs_by_wake ON runs (wake) WHERE wake IS NOT NULL;
CREATE INDEX runs_to_tell ON runs (tell) WHERE tell IS NOT NULL;
CREATE INDEX runs_unwanted ON runs (id) WHERE unwanted IS NOT NULL AND ended IS NULL;
CREATE INDEX runs_by_outcome ON runs (status, id) WHERE status IN ('failed', 'stopped');
CREATE INDEX runs_by_workflow_and_outcome ON runs (workflow, status, id) WHERE status IN ('failed', 'stopped');
CREATE INDEX runs_by_rarer_kind ON runs (kind, id) WHERE kind != 'webhook';
CREATE INDEX runs_by_cost ON runs (cost + below) WHERE cost + below > 0;

-- States of runs with long journals, so that folding them stays short.
CREATE TABLE snapshots (
  run   TEXT PRIMARY KEY,
  seq   INTEGER NOT NULL,
  state BLOB NOT NULL
) WITHOUT ROWID;

-- Signals steps wait for.
CREATE TABLE hears (
  run         TEXT NOT NULL,
  step        TEXT NOT NULL,
  source      TEXT NOT NULL,
  key         TEXT NOT NULL,
  also_starts INTEGER NOT NULL,
  PRIMARY KEY (run, step)
) WITHOUT ROWID;
CREATE INDEX hears_by_key ON hears (source, key);
-- Signals somebody may wait for, until it is known whether anybody does.
CREATE TABLE inbox (
  delivery   TEXT NOT NULL,           -- as deliveries.source
  id         TEXT NOT NULL,
  source     TEXT NOT NULL,           -- what a step that waits knows it by
  key        TEXT NOT NULL,
  workflow   TEXT NOT NULL,           -- the one it starts where nobody waits; '' for none
  definition TEXT NOT NULL,           -- … as it was when the signal was taken in
  state      TEXT NOT NULL CHECK (state IN ('new', 'starts', 'kept', 'heard')),
  at         INTEGER NOT NULL,
  signal     BLOB NOT NULL,
  PRIMARY KEY (delivery, id)
) WITHOUT ROWID;
CREATE INDEX inbox_by_key ON inbox (source, key) WHERE state IN ('new', 'kept');
CREATE INDEX inbox_new ON inbox (id) WHERE state IN ('new', 'starts');
CREATE INDEX inbox_by_age ON inbox (at) WHERE state IN ('kept', 'heard');

CREATE TABLE labels (
  label TEXT NOT NULL,
  run   TEXT NOT NULL,
  PRIMARY KEY (label, run)
) WITHOUT ROWID;
CREATE INDEX labels_by_run ON labels (run);
CREATE TABLE facts (
  n     INTEGER PRIMARY KEY,
  id    TEXT NOT NULL UNIQUE,
  about TEXT NOT NULL,
  name  TEXT NOT NULL,                -- '' where later ones add to it
  fact  TEXT NOT NULL,
  run   TEXT NOT NULL,
  nth   INTEGER NOT NULL,             -- of those the run kept
  at    INTEGER NOT NULL,             -- when it was kept or corrected
  by    TEXT NOT NULL DEFAULT ''      -- who corrected it
);
CREATE INDEX facts_by_about ON facts (about, n);

-- Versions of workflows: what is live, and everything that was.
CREATE TABLE versions (
  workflow   TEXT NOT NULL,
  n          INTEGER NOT NULL,        -- from 1
  definition TEXT NOT NULL,
  note       TEXT NOT NULL,
  by         TEXT NOT NULL,
  at         INTEGER NOT NULL,
  PRIMARY KEY (workflow, n)
) WITHOUT ROWID;
CREATE TABLE live (
  workflow TEXT PRIMARY KEY,
  version  INTEGER NOT NULL,
  is_on    INTEGER NOT NULL
) WITHOUT ROWID;

-- Of workflows whose draft does not check: the last text that did, to be tried.
CREATE TABLE readable (
  workflow TEXT PRIMARY KEY,
  text     TEXT NOT NULL
) WITHOUT ROWID;

-- Files that were deleted, to be taken back from.
CREATE TABLE bin (
  n    INTEGER PRIMARY KEY,
  path TEXT NOT NULL,
  text TEXT NOT NULL,
  at   INTEGER NOT NULL,
  by   TEXT NOT NULL
);
-- Signals that are waited for to be kept as samples.
CREATE TABLE catches (
  workflow TEXT PRIMARY KEY,
  name     TEXT NOT NULL,
  by       TEXT NOT NULL,
  at       INTEGER NOT NULL -- when somebody asked for it
) WITHOUT ROWID;
-- Work that ended the process, and how often.
CREATE TABLE endings (
  work  TEXT PRIMARY KEY,
  times INTEGER NOT NULL,
  last  INTEGER NOT NULL,
  why   TEXT NOT NULL
) WITHOUT ROWID;
CREATE TABLE settings (
  name  TEXT PRIMARY KEY,
  value TEXT NOT NULL
) WITHOUT ROWID;

-- Words of runs, for searching; the rowid is that of a run's first entry.
CREATE VIRTUAL TABLE run_words USING fts5(words, content='', contentless_delete=1, tokenize='unicode61 remove_diacritics 2', detail='none');
CREATE VIRTUAL TABLE run_terms USING fts5vocab(run_words, 'row');
-- Left alone, the index merges in bursts of tens of milliseconds while others wait: the indexer does it bit by bit.
INSERT INTO run_words (run_words, rank) VALUES ('automerge', 0);

-- Bytes of files that came with signals or that tools fetched, by their hash.
CREATE TABLE blobs (
  hash     TEXT PRIMARY KEY,          -- SHA-256, in hex
  data     BLOB NOT NULL,
  size     INTEGER NOT NULL,
  at       INTEGER NOT NULL,          -- when it was kept last
  stranger INTEGER NOT NULL,          -- 1 where somebody left it who showed no key
  behind   INTEGER NOT NULL,          -- the journal's end then: no entry up to it refers to the bytes
  run      INTEGER NOT NULL DEFAULT 0 -- 1 once a run is known to refer to them
);
CREATE INDEX blobs_of_strangers ON blobs (at, size) WHERE stranger = 1;
CREATE INDEX blobs_to_look_at ON blobs (at) WHERE run = 0;

-- Mails the service wrote: their Message-IDs, and who may answer them.
CREATE TABLE mails_sent (
  call       TEXT PRIMARY KEY,        -- key of the call that sent it
  message_id TEXT NOT NULL UNIQUE,
  written_to TEXT NOT NULL,           -- JSON, addresses
  at         INTEGER NOT NULL
) WITHOUT ROWID;

-- How far sources that cannot call us were looked at.
CREATE TABLE looks (
  source     TEXT PRIMARY KEY,
  connection TEXT NOT NULL,           -- '' where it is a table
  what       TEXT NOT NULL,           -- in words
  cursor     BLOB NOT NULL,           -- what the kind of source makes of it, as JSON
  n          INTEGER NOT NULL,        -- looks that went well
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
  data    TEXT NOT NULL,              -- JSON
  added   INTEGER NOT NULL,
  changed INTEGER NOT NULL
);
CREATE UNIQUE INDEX table_rows_by_key ON table_rows (tbl, key) WHERE key IS NOT NULL;
CREATE INDEX table_rows_by_table ON table_rows (tbl, n);
-- What happened to rows: triggers look here, and a call that is sent again sees what it did.
CREATE TABLE row_changes (
  n    INTEGER PRIMARY KEY AUTOINCREMENT,
  tbl  TEXT NOT NULL,
  row  INTEGER NOT NULL,
  did  TEXT NOT NULL CHECK (did IN ('added', 'changed')),
  data TEXT NOT NULL,
  at   INTEGER NOT NULL,
  run  TEXT NOT NULL,                 -- whose call it was; '' for nobody's
  made TEXT                           -- idempotency key of that call
);
CREATE UNIQUE INDEX row_changes_by_call ON row_changes (tbl, made) WHERE made IS NOT NULL;

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
  place      TEXT NOT NULL,           -- where it is sent, and who gave it
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
  who        TEXT NOT NULL,           -- the e-mail of who began it
  expires    INTEGER NOT NULL
) WITHOUT ROWID;
-- What MCP servers said they offer.
CREATE TABLE offers (
  connection TEXT PRIMARY KEY,
  tools      BLOB NOT NULL,           -- JSON
  at         INTEGER NOT NULL
) WITHOUT ROWID;
