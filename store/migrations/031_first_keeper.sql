-- Nobody is there yet to invite the first keeper: the installation does.
alter table invitations alter column created_by drop not null;
