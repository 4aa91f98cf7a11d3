"""Raw is kept: the database itself refuses to change what a capture came with."""

from django.db import migrations

FORWARD = """
CREATE FUNCTION measuring_raw_is_kept() RETURNS trigger AS $$
BEGIN
  IF (NEW.data, NEW.context, NEW.procedure, NEW.printer_id, NEW.place, NEW.taken_at, NEW.sha256, NEW.source)
     IS DISTINCT FROM
     (OLD.data, OLD.context, OLD.procedure, OLD.printer_id, OLD.place, OLD.taken_at, OLD.sha256, OLD.source) THEN
    RAISE EXCEPTION 'A capture is never changed; a correction is a new capture that supersedes it.';
  END IF;
  RETURN NEW;
END $$ LANGUAGE plpgsql;
CREATE TRIGGER raw_is_kept BEFORE UPDATE ON measuring_capture
  FOR EACH ROW EXECUTE FUNCTION measuring_raw_is_kept();
"""
BACK = "DROP TRIGGER raw_is_kept ON measuring_capture; DROP FUNCTION measuring_raw_is_kept();"


class Migration(migrations.Migration):
    dependencies = [("measuring", "0002_initial")]
    operations = [migrations.RunSQL(FORWARD, BACK)]
