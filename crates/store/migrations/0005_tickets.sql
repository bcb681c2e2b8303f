-- Tickets of the rack as they were last worked out, by job and by what a role may be proposed. They follow from
-- the log, the packs and the catalogue (basis), and can be made anew from them; none of them is the truth.
CREATE TABLE job_ticket (
  job_id uuid NOT NULL REFERENCES job (id),
  role text NOT NULL,
  head bigint NOT NULL,
  pack_head bigint NOT NULL,
  basis text NOT NULL,
  body jsonb NOT NULL,
  PRIMARY KEY (job_id, role)
);
CREATE INDEX job_on_the_rack ON job (number) WHERE NOT closed AND head > 0;
