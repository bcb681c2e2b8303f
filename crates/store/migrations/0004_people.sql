-- Sessions can be listed and ended one by one; an idle one ends; what guards people, settings and erasure asks
-- for the password again.
ALTER TABLE session ADD COLUMN id uuid NOT NULL DEFAULT gen_random_uuid();
ALTER TABLE session ADD COLUMN began_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE session ADD COLUMN seen_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE session ADD COLUMN confirmed_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE session ADD COLUMN device text NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN address text NOT NULL DEFAULT '';
CREATE UNIQUE INDEX session_id ON session (id);
CREATE INDEX session_person ON session (person_id);

-- A second factor: secret of time-based codes; none until a first code has been given. Each step is used once.
ALTER TABLE person ADD COLUMN factor bytea;
ALTER TABLE person ADD COLUMN factor_wanted bytea;
ALTER TABLE person ADD COLUMN factor_step bigint NOT NULL DEFAULT 0;

-- Attempts are counted before a slow hash is worked out, one after the other for one account.
DROP TABLE failed_sign_in;
CREATE TABLE attempt (
  account text NOT NULL,
  address text NOT NULL,
  at timestamptz NOT NULL
);
CREATE INDEX attempt_account ON attempt (account, at);
CREATE INDEX attempt_address ON attempt (address, at);
CREATE FUNCTION count_attempt(p_account text, p_address text, p_now timestamptz, p_since timestamptz,
  OUT of_account bigint, OUT of_address bigint) LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_advisory_xact_lock(hashtext(p_account));
  -- older ones are forgotten, and those of a clock that ran ahead
  DELETE FROM attempt WHERE at < p_since OR at > p_now + interval '1 minute';
  INSERT INTO attempt (account, address, at) VALUES (p_account, p_address, p_now);
  SELECT count(*) INTO of_account FROM attempt WHERE account = p_account;
  SELECT count(*) INTO of_address FROM attempt WHERE address = p_address AND p_address <> '';
END $$;

-- Who did what beside the jobs: sign-ins, refusals, people, customers, sheets, settings, erasures.
CREATE TABLE audit (
  seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL,
  by_id uuid REFERENCES person (id),
  by_name text NOT NULL,
  address text NOT NULL,
  what text NOT NULL,
  about text NOT NULL
);
CREATE FUNCTION audit_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION 'the audit log is append-only';
END $$;
CREATE TRIGGER audit_append_only BEFORE UPDATE OR DELETE ON audit
  FOR EACH ROW EXECUTE FUNCTION audit_is_append_only();

-- Customers' cards and sheets keep the states they had before. Erasing a customer erases those, too.
CREATE TABLE customer_before (
  customer_id uuid NOT NULL REFERENCES customer (id) ON DELETE CASCADE,
  until timestamptz NOT NULL,
  by_name text NOT NULL,
  name text NOT NULL,
  contact text NOT NULL
);
CREATE INDEX customer_before_customer ON customer_before (customer_id, until);
CREATE TABLE sheet_before (
  sheet_id uuid NOT NULL REFERENCES sheet (id),
  until timestamptz NOT NULL,
  name text NOT NULL,
  by_name text NOT NULL,
  points jsonb NOT NULL
);
CREATE INDEX sheet_before_sheet ON sheet_before (sheet_id, until);
