-- People of the shop. Names are unique without regard to case.
CREATE TABLE person (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  role text NOT NULL CHECK (role IN ('trainee', 'technician', 'specialist', 'owner')),
  password_hash text NOT NULL,
  disabled boolean NOT NULL DEFAULT false
);
CREATE UNIQUE INDEX person_name ON person (lower(name));

-- Sessions hold only the hash of the token.
CREATE TABLE session (
  token_hash bytea PRIMARY KEY,
  person_id uuid NOT NULL REFERENCES person (id),
  expires_at timestamptz NOT NULL
);

-- Failed sign-ins, to slow down guessing by account and by address.
CREATE TABLE failed_sign_in (
  account text NOT NULL,
  address text NOT NULL,
  at timestamptz NOT NULL
);
CREATE INDEX failed_sign_in_at ON failed_sign_in (at);

-- Personal data lives here and nowhere else, so that it can be erased.
CREATE TABLE customer (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  contact text NOT NULL
);

-- Packs by the shop's sticker.
CREATE TABLE pack (
  id uuid PRIMARY KEY,
  sticker text NOT NULL
);
CREATE UNIQUE INDEX pack_sticker ON pack (lower(sticker));

CREATE TABLE job (
  id uuid PRIMARY KEY,
  number integer GENERATED ALWAYS AS IDENTITY (START WITH 401) UNIQUE,
  customer_id uuid REFERENCES customer (id) ON DELETE SET NULL,
  closed boolean NOT NULL DEFAULT false,
  head bigint NOT NULL DEFAULT 0
);
CREATE INDEX job_open ON job (closed);

-- The append-only log. The order is seq; the person's own time is kept beside it.
CREATE TABLE entry (
  seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  id uuid NOT NULL UNIQUE,
  job_id uuid NOT NULL REFERENCES job (id),
  at timestamptz NOT NULL,
  stored_at timestamptz NOT NULL DEFAULT now(),
  by_name text NOT NULL,
  body jsonb NOT NULL,
  pack_id uuid REFERENCES pack (id)
);
CREATE INDEX entry_job ON entry (job_id, seq);
CREATE INDEX entry_pack ON entry (pack_id, seq) WHERE pack_id IS NOT NULL;

CREATE FUNCTION entry_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION 'the log is append-only';
END $$;
CREATE TRIGGER entry_append_only BEFORE UPDATE OR DELETE ON entry
  FOR EACH ROW EXECUTE FUNCTION entry_is_append_only();

-- Settings of this shop, such as the offset of the demonstration's clock.
CREATE TABLE setting (
  key text PRIMARY KEY,
  value text NOT NULL
);
