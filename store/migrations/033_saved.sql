-- When the installation was saved last stands in the record.
create index audit_saved on audit (seq desc) where action = 'installation.saved';
