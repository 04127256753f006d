-- The Marrow Vale gauge network. Everything in it is made up.

CREATE SCHEMA network;
CREATE SCHEMA office;
CREATE SCHEMA field;
CREATE SCHEMA legacy;

CREATE TABLE network.region (
  id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name text NOT NULL UNIQUE,
  duty_telephone text NOT NULL
);

CREATE TABLE network.river (
  id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name text NOT NULL UNIQUE,
  length_km numeric(6, 1) CHECK (length_km > 0)
);

CREATE TYPE network.station_status AS ENUM ('planned', 'live', 'suspended', 'retired');

CREATE TABLE network.station (
  code text PRIMARY KEY CONSTRAINT station_code_form CHECK (code ~ '^MV-[0-9]{3}$'),
  name varchar(60) NOT NULL,
  river_id integer NOT NULL REFERENCES network.river,
  region_id integer NOT NULL REFERENCES network.region,
  grid_reference text NOT NULL UNIQUE,
  status network.station_status NOT NULL DEFAULT 'planned',
  alert_m numeric(5, 2) NOT NULL,
  warning_m numeric(5, 2) NOT NULL,
  telemetry boolean NOT NULL DEFAULT false,
  installed_on date,
  notes text,
  CONSTRAINT station_levels CHECK (warning_m > alert_m AND alert_m > 0)
);
COMMENT ON TABLE network.station IS 'Places where the water level is measured.';
COMMENT ON COLUMN network.station.telemetry IS 'Whether the station reports by itself.';

CREATE TYPE network.sensor_kind AS ENUM ('level', 'flow', 'temperature', 'rainfall');

CREATE TABLE network.sensor (
  station_code text NOT NULL REFERENCES network.station ON UPDATE CASCADE,
  channel smallint NOT NULL CHECK (channel BETWEEN 1 AND 16),
  kind network.sensor_kind NOT NULL,
  serial_number varchar(20) NOT NULL UNIQUE,
  offset_m numeric(9, 4) NOT NULL DEFAULT 0,
  calibrated_at timestamptz,
  in_service boolean NOT NULL DEFAULT true,
  settings jsonb NOT NULL DEFAULT '{}',
  tags text[] NOT NULL DEFAULT '{}',
  remarks text,
  PRIMARY KEY (station_code, channel)
);

CREATE TYPE office.role AS ENUM ('builder', 'hydrologist', 'technician', 'duty-officer');

CREATE TABLE office.person (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  name text NOT NULL,
  email text NOT NULL UNIQUE CHECK (email LIKE '%@%.example'),
  telephone text,
  role office.role NOT NULL,
  home_region_id integer REFERENCES network.region,
  active boolean NOT NULL DEFAULT true
);

CREATE TYPE office.bulletin_state AS ENUM ('planned', 'published', 'withdrawn');

CREATE TABLE office.bulletin (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  slug text NOT NULL UNIQUE CHECK (slug ~ '^[a-z0-9]+(-[a-z0-9]+)*$'),
  headline varchar(120) NOT NULL,
  body text NOT NULL,
  state office.bulletin_state NOT NULL DEFAULT 'planned',
  publish_at timestamptz,
  author_id uuid NOT NULL REFERENCES office.person,
  team text NOT NULL
);

CREATE TABLE field.visit (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  station_code text NOT NULL REFERENCES network.station ON UPDATE CASCADE,
  visitor_id uuid NOT NULL REFERENCES office.person,
  visited_at timestamptz NOT NULL,
  level_read_m numeric(6, 3),
  findings text,
  follow_up_on date,
  recorded_by text,
  recorded_at timestamptz,
  photo bytea
);
CREATE INDEX ON field.visit (station_code, visited_at DESC);

CREATE TABLE field.calibration (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  station_code text NOT NULL REFERENCES network.station ON UPDATE CASCADE,
  channel smallint NOT NULL,
  done_by uuid NOT NULL REFERENCES office.person,
  done_on date NOT NULL DEFAULT CURRENT_DATE CHECK (done_on >= '1980-01-01'),
  method text NOT NULL DEFAULT 'staff gauge' CHECK (method IN ('staff gauge', 'levelling', 'reference sensor')),
  deviation_m numeric(6, 4) NOT NULL CHECK (deviation_m > -1 AND deviation_m < 1),
  remarks text,
  FOREIGN KEY (station_code, channel) REFERENCES network.sensor ON UPDATE CASCADE ON DELETE CASCADE
);
COMMENT ON TABLE field.calibration IS 'What a sensor was found to be off by.';

CREATE TABLE field.reading_note (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  station_code text NOT NULL REFERENCES network.station ON UPDATE CASCADE,
  noted_at timestamptz NOT NULL,
  level_m numeric(6, 3),
  note text NOT NULL
);
-- What its list is sorted, filtered and searched by, so that it is as quick with five million notes as with ten.
CREATE INDEX ON field.reading_note (noted_at, id);
CREATE INDEX ON field.reading_note (station_code, noted_at, id);
CREATE INDEX ON field.reading_note (level_m);
CREATE EXTENSION IF NOT EXISTS pg_trgm;
CREATE INDEX ON field.reading_note USING gin (note gin_trgm_ops);

CREATE TABLE legacy."InstrumentLoan" (
  "LoanNo" integer PRIMARY KEY,
  "InstrumentCode" char(8) NOT NULL,
  "BorrowedBy" varchar(40),
  "DepositAmount" numeric(12, 2) NOT NULL DEFAULT 0,
  "DueDate" text,
  "Returned" boolean
);
COMMENT ON COLUMN legacy."InstrumentLoan"."BorrowedBy" IS 'Always filled in since 2009, but never made NOT NULL.';
COMMENT ON COLUMN legacy."InstrumentLoan"."DueDate" IS 'Day.month.year, as text.';

-- The legacy application saved through this function, and so does the page: it knows what the table does not.
CREATE FUNCTION legacy.save_loan(loan integer, instrument text, borrower text, deposit numeric, due text, is_back boolean)
RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  IF is_back AND borrower IS NULL THEN
    RAISE EXCEPTION 'A loan that came back needs the name of who had it.';
  END IF;
  UPDATE legacy."InstrumentLoan"
  SET "InstrumentCode" = upper(instrument), "BorrowedBy" = borrower, "DepositAmount" = CASE WHEN is_back THEN 0 ELSE deposit END,
    "DueDate" = due, "Returned" = is_back
  WHERE "LoanNo" = loan;
END
$$;
REVOKE EXECUTE ON FUNCTION legacy.save_loan FROM PUBLIC;
