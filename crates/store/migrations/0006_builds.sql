-- Builds kept under a name: what is different on a vehicle from the one that its volts and drive begin with, for the next like it.
CREATE TABLE kept_build (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  job_id uuid NOT NULL REFERENCES job (id),
  at timestamptz NOT NULL,
  by_name text NOT NULL,
  volts_class integer NOT NULL,
  drive text NOT NULL,
  changes jsonb NOT NULL
);
CREATE UNIQUE INDEX kept_build_name ON kept_build (lower(name));
