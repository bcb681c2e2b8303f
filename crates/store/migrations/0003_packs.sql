-- Entries know people by id, and each carries a hash over itself and all before it in its job.
ALTER TABLE entry ADD COLUMN by_id uuid REFERENCES person (id);
ALTER TABLE entry ADD COLUMN chain bytea;

CREATE OR REPLACE FUNCTION entry_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- an entry from before there was a chain gets its hash once
  IF TG_OP = 'UPDATE' AND TG_TABLE_NAME = 'entry' AND OLD.chain IS NULL THEN
    OLD.chain := NEW.chain;
    IF OLD IS NOT DISTINCT FROM NEW THEN
      RETURN NEW;
    END IF;
  END IF;
  RAISE EXCEPTION 'the log is append-only';
END $$;

-- Dangers rest on packs: one record each, as it was judged when it was found. seq is the order in which
-- things happened on the pack, over all jobs.
CREATE TABLE danger (
  pack_id uuid NOT NULL REFERENCES pack (id),
  entry_id uuid NOT NULL REFERENCES entry (id),
  job_id uuid NOT NULL REFERENCES job (id),
  seq bigint NOT NULL,
  body jsonb NOT NULL,
  PRIMARY KEY (pack_id, entry_id)
);
CREATE INDEX danger_job ON danger (job_id);
CREATE FUNCTION danger_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION 'a danger is kept as it was found';
END $$;
CREATE TRIGGER danger_append_only BEFORE UPDATE OR DELETE ON danger
  FOR EACH ROW EXECUTE FUNCTION danger_is_append_only();

-- Packs a job has had on it.
CREATE TABLE job_pack (
  job_id uuid NOT NULL REFERENCES job (id),
  pack_id uuid NOT NULL REFERENCES pack (id),
  PRIMARY KEY (job_id, pack_id)
);
CREATE INDEX job_pack_pack ON job_pack (pack_id);
INSERT INTO job_pack (job_id, pack_id)
  SELECT DISTINCT job_id, (body ->> 'pack')::uuid FROM entry WHERE body ->> 'kind' = 'pack'
    AND EXISTS (SELECT 1 FROM pack p WHERE p.id = (body ->> 'pack')::uuid);

-- Sequence of the newest thing that happened on it.
ALTER TABLE pack ADD COLUMN head bigint NOT NULL DEFAULT 0;
UPDATE pack SET head = coalesce((SELECT max(e.seq) FROM entry e WHERE e.pack_id = pack.id), 0);

-- A ticket's number: the next one that no job has, so that numbers brought in from elsewhere use none up.
CREATE FUNCTION next_job_number() RETURNS integer LANGUAGE plpgsql AS $$
DECLARE
  n integer;
BEGIN
  LOOP
    n := nextval('job_number')::integer;
    EXIT WHEN NOT EXISTS (SELECT 1 FROM job WHERE number = n);
  END LOOP;
  RETURN n;
END $$;
ALTER TABLE job ALTER COLUMN number DROP IDENTITY;
CREATE SEQUENCE job_number AS integer START WITH 401 OWNED BY job.number;
SELECT setval('job_number', greatest(400, (SELECT max(number) FROM job WHERE number < 1000000)) + 1, false);
ALTER TABLE job ALTER COLUMN number SET DEFAULT next_job_number();

-- What a job is found by, as one text with an index for any piece of it.
CREATE EXTENSION IF NOT EXISTS pg_trgm;
ALTER TABLE job_card ADD COLUMN find text NOT NULL DEFAULT '';
UPDATE job_card c SET find = lower(lpad(j.number::text, 4, '0') || ' ' || c.vehicle || ' ' || c.frame_number
  || ' ' || c.words) FROM job j WHERE j.id = c.job_id;
CREATE INDEX job_card_find ON job_card USING gin (find gin_trgm_ops);
CREATE INDEX customer_find ON customer USING gin (lower(name) gin_trgm_ops);
CREATE INDEX job_customer ON job (customer_id) WHERE customer_id IS NOT NULL;
CREATE INDEX job_card_dated ON job_card (job_id) WHERE promised IS NOT NULL OR waits_until IS NOT NULL;

-- Write entries of one job, the dangers they raise and its card: all or nothing, in one go. Refuses with
--   SP404 no such job · SP409 the job or its packs have moved on · SP403 an id belongs to another job
CREATE FUNCTION append_entries(
  p_job uuid, p_seen bigint, p_pack_seen bigint, p_entries jsonb, p_dangers jsonb, p_card jsonb
) RETURNS bigint LANGUAGE plpgsql AS $$
DECLARE
  v_head bigint;
  v_number integer;
  v_seq bigint;
  v_chain bytea;
  v_packs uuid[];
  e jsonb;
BEGIN
  SELECT head, number INTO v_head, v_number FROM job WHERE id = p_job FOR UPDATE;
  IF NOT FOUND THEN
    RAISE EXCEPTION 'no such job' USING ERRCODE = 'SP404';
  END IF;
  SELECT coalesce(jsonb_agg(x), '[]') INTO p_entries FROM jsonb_array_elements(p_entries) x
    WHERE NOT EXISTS (SELECT 1 FROM entry k WHERE k.id = (x ->> 'id')::uuid AND k.job_id = p_job);
  IF p_entries = '[]'::jsonb THEN
    RETURN v_head;
  END IF;
  IF EXISTS (SELECT 1 FROM jsonb_array_elements(p_entries) x JOIN entry k ON k.id = (x ->> 'id')::uuid) THEN
    RAISE EXCEPTION 'an entry of another job' USING ERRCODE = 'SP403';
  END IF;
  IF v_head <> p_seen THEN
    RAISE EXCEPTION 'the job has moved on' USING ERRCODE = 'SP409';
  END IF;
  INSERT INTO job_pack (job_id, pack_id)
    SELECT DISTINCT p_job, (x -> 'body' ->> 'pack')::uuid FROM jsonb_array_elements(p_entries) x
    WHERE x -> 'body' ->> 'kind' = 'pack' ON CONFLICT DO NOTHING;
  IF p_pack_seen IS NOT NULL THEN
    SELECT array_agg(l.id) INTO v_packs FROM (
      SELECT p.id FROM pack p JOIN job_pack jp ON jp.pack_id = p.id WHERE jp.job_id = p_job
      ORDER BY p.id FOR UPDATE OF p) l;
    IF (SELECT coalesce(max(head), 0) FROM pack WHERE id = ANY (v_packs)) <> p_pack_seen THEN
      RAISE EXCEPTION 'a pack has moved on' USING ERRCODE = 'SP409';
    END IF;
  END IF;
  SELECT chain INTO v_chain FROM entry WHERE job_id = p_job ORDER BY seq DESC LIMIT 1;
  FOR e IN SELECT x FROM jsonb_array_elements(p_entries) WITH ORDINALITY t(x, n) ORDER BY n LOOP
    v_chain := sha256(coalesce(v_chain, '') || convert_to(e ->> 'sealed', 'UTF8'));
    INSERT INTO entry (id, job_id, at, by_name, by_id, body, pack_id, chain)
      VALUES ((e ->> 'id')::uuid, p_job, (e ->> 'at')::timestamptz, e ->> 'by', (e ->> 'by_id')::uuid,
              e -> 'body', (e ->> 'pack')::uuid, v_chain)
      RETURNING seq INTO v_seq;
    IF e -> 'body' ->> 'kind' = 'close' THEN
      UPDATE job SET closed = true WHERE id = p_job;
    ELSIF e -> 'body' ->> 'kind' = 'customer' THEN
      UPDATE job SET customer_id = (SELECT c.id FROM customer c WHERE c.id = (e -> 'body' ->> 'customer')::uuid)
        WHERE id = p_job;
    END IF;
  END LOOP;
  INSERT INTO danger (pack_id, entry_id, job_id, seq, body)
    SELECT (d ->> 'pack')::uuid, (d ->> 'entry')::uuid, p_job, s.seq, d -> 'body'
    FROM jsonb_array_elements(p_dangers) d JOIN entry s ON s.id = (d ->> 'since')::uuid
    ON CONFLICT DO NOTHING;
  UPDATE pack SET head = v_seq WHERE id IN (
    SELECT (x ->> 'pack')::uuid FROM jsonb_array_elements(p_entries) x WHERE x ->> 'pack' IS NOT NULL
    UNION SELECT (d ->> 'pack')::uuid FROM jsonb_array_elements(p_dangers) d);
  UPDATE job SET head = v_seq WHERE id = p_job;
  PERFORM write_card(p_job, v_number, p_card);
  PERFORM pg_notify('spannung_job', p_job || ' ' || v_seq);
  RETURN v_seq;
END $$;

CREATE FUNCTION write_card(p_job uuid, p_number integer, p_card jsonb) RETURNS void LANGUAGE plpgsql AS $$
DECLARE
  c job_card := jsonb_populate_record(NULL::job_card, p_card);
BEGIN
  c.job_id := p_job;
  c.find := lower(lpad(p_number::text, 4, '0') || ' ' || c.vehicle || ' ' || c.frame_number || ' ' || c.words);
  DELETE FROM job_card WHERE job_id = p_job;
  INSERT INTO job_card SELECT c.*;
END $$;
