-- Public pages look up how phones of a maker are made to listen to a computer.
create index claims_of_debugging on claims (scope_id) where field = 'debugging';

---- create above / drop below ----

drop index claims_of_debugging;
