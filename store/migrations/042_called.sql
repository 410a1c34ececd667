-- What something rests on, where something does: of most packages nothing.
create index shipped_by_called on shipped_by (package_id) include (model_id, called) where called <> '';

---- create above / drop below ----

drop index shipped_by_called;
