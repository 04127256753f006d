-- What this application needs in the database besides: a list of errands that a save adds to. Run as the database's owner.
CREATE SCHEMA IF NOT EXISTS yard;
CREATE TABLE IF NOT EXISTS yard.errand (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  station text NOT NULL REFERENCES network.station ON UPDATE CASCADE ON DELETE CASCADE,
  what text NOT NULL,
  asked_by text NOT NULL,
  UNIQUE (station, what)
);
GRANT USAGE ON SCHEMA yard TO quill_pages;
GRANT SELECT, INSERT ON yard.errand TO quill_pages;
