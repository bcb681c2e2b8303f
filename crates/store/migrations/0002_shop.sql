-- A short code for changing over at a shared tablet; only works where somebody is signed in.
ALTER TABLE person ADD COLUMN code_hash text;

-- One-time links: the first owner, a new person, a forgotten password. Only the hash is kept.
CREATE TABLE invitation (
  token_hash bytea PRIMARY KEY,
  person_id uuid REFERENCES person (id),
  expires_at timestamptz NOT NULL,
  used_at timestamptz
);

-- Private calendar links, one a person; only the hash is kept.
CREATE TABLE calendar_link (
  person_id uuid PRIMARY KEY REFERENCES person (id),
  token_hash bytea NOT NULL UNIQUE
);

-- The shop's settings, every state they ever had: the newest row counts.
CREATE TABLE shop_setting (
  seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL,
  by_name text NOT NULL,
  body jsonb NOT NULL
);

-- Pictures, drawn anew when they came in, so that they carry no place. Entries name them by id.
CREATE TABLE photo (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES job (id),
  at timestamptz NOT NULL,
  by_name text NOT NULL,
  width integer NOT NULL,
  height integer NOT NULL,
  picture bytea NOT NULL,
  small bytea NOT NULL
);
CREATE INDEX photo_job ON photo (job_id);

-- Points and expected values kept from a vehicle without a wiring model.
CREATE TABLE sheet (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  job_id uuid NOT NULL REFERENCES job (id),
  at timestamptz NOT NULL,
  by_name text NOT NULL,
  points jsonb NOT NULL
);

-- What a job is found by and hung up with. Worked out of its log at every append and can be made anew
-- from it at any time; nothing here is the truth.
CREATE TABLE job_card (
  job_id uuid PRIMARY KEY REFERENCES job (id),
  vehicle text NOT NULL DEFAULT '',
  frame_number text NOT NULL DEFAULT '',
  words text NOT NULL DEFAULT '',
  outcome text NOT NULL DEFAULT '',
  mended text NOT NULL DEFAULT '',
  opened_at timestamptz,
  closed_at timestamptz,
  promised timestamptz,
  waits_until timestamptz,
  recheck_by timestamptz,
  recheck_what text NOT NULL DEFAULT '',
  from_job uuid
);
CREATE INDEX job_card_frame ON job_card (lower(frame_number)) WHERE frame_number <> '';
CREATE INDEX job_card_vehicle ON job_card (lower(vehicle)) WHERE vehicle <> '';
CREATE INDEX job_card_recheck ON job_card (recheck_by) WHERE recheck_by IS NOT NULL;
CREATE INDEX job_card_from ON job_card (from_job) WHERE from_job IS NOT NULL;

-- Jobs that came in as a bundle: who brought them, up to which entry, and a job they clashed with.
CREATE TABLE import (
  job_id uuid PRIMARY KEY REFERENCES job (id),
  at timestamptz NOT NULL,
  by_name text NOT NULL,
  head bigint NOT NULL,
  number integer NOT NULL,
  clash_with uuid REFERENCES job (id)
);
