-- Runs that wait for a time are found by it, and need not be in memory.
ALTER TABLE runs ADD COLUMN wake INTEGER;
CREATE INDEX runs_by_wake ON runs (wake) WHERE wake IS NOT NULL;
-- What the limits of a workflow tell its runs apart by.
ALTER TABLE runs ADD COLUMN key TEXT;
-- 'parent' or 'failure' where a run's end is still to be told to somebody.
ALTER TABLE runs ADD COLUMN tell TEXT;
CREATE INDEX runs_to_tell ON runs (tell) WHERE tell IS NOT NULL;
-- 'rerun' or 'try', and the run it came from, where no signal started it.
ALTER TABLE runs ADD COLUMN origin TEXT;
-- By whom a called run was given up; it is stopped, at the next start at last.
ALTER TABLE runs ADD COLUMN unwanted TEXT;
CREATE INDEX runs_unwanted ON runs (id) WHERE unwanted IS NOT NULL AND ended IS NULL;
-- The run that brought this one about, and how many did so in a row.
ALTER TABLE runs ADD COLUMN cause TEXT;
ALTER TABLE runs ADD COLUMN links INTEGER NOT NULL DEFAULT 0;
CREATE INDEX runs_by_outcome ON runs (status, id) WHERE status IN ('failed', 'stopped');
CREATE INDEX runs_by_workflow_and_outcome ON runs (workflow, status, id) WHERE status IN ('failed', 'stopped');
CREATE INDEX runs_by_rarer_kind ON runs (kind, id) WHERE kind != 'webhook';
CREATE INDEX runs_by_cost ON runs (cost) WHERE cost > 0;

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
  state      TEXT NOT NULL CHECK (state IN ('new', 'kept', 'heard')),
  at         INTEGER NOT NULL,
  signal     BLOB NOT NULL,
  PRIMARY KEY (delivery, id)
) WITHOUT ROWID;
CREATE INDEX inbox_by_key ON inbox (source, key) WHERE state != 'heard';
CREATE INDEX inbox_new ON inbox (id) WHERE state = 'new';
CREATE INDEX inbox_by_age ON inbox (at) WHERE state != 'new';

CREATE TABLE labels (
  label TEXT NOT NULL,
  run   TEXT NOT NULL,
  PRIMARY KEY (label, run)
) WITHOUT ROWID;
CREATE INDEX labels_by_run ON labels (run);
CREATE TABLE facts (
  n     INTEGER PRIMARY KEY,
  about TEXT NOT NULL,
  name  TEXT NOT NULL,                -- '' where later ones add to it
  fact  TEXT NOT NULL,
  run   TEXT NOT NULL,
  at    INTEGER NOT NULL
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
-- What ran before there were versions goes on running, as their first.
INSERT INTO versions (workflow, n, definition, note, by, at)
  SELECT workflow, 1, definition, 'what was live before there were versions', '', max(accepted) FROM runs GROUP BY workflow;
INSERT INTO live (workflow, version, is_on) SELECT workflow, 1, 1 FROM versions;

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
  by       TEXT NOT NULL
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
