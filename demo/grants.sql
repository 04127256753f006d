-- Least rights. The pages read and write the network's rows and add to the log; they can't change or delete an entry, nor alter
-- a table. The log's reader reads the log and nothing else.

GRANT USAGE ON SCHEMA network, office, field, legacy, quill_log TO quill_pages;
GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA network, office, field TO quill_pages;
GRANT SELECT, UPDATE ON ALL TABLES IN SCHEMA legacy TO quill_pages;
GRANT EXECUTE ON FUNCTION legacy.save_loan TO quill_pages;
GRANT SELECT ON quill_log.change, quill_log.head, quill_log.seal, quill_log.watched, quill_log.baseline TO quill_pages, quill_reader;
GRANT EXECUTE ON FUNCTION quill_log.add_change, quill_log.make_seals, quill_log.sign_seal TO quill_pages;
GRANT SELECT, INSERT ON quill_log.submission TO quill_pages;
GRANT SELECT, INSERT, UPDATE, DELETE ON quill_log.outbox TO quill_pages;
GRANT USAGE ON SCHEMA quill_log TO quill_reader;
