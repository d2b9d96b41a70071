-- +goose Up

-- Whose command line a token is for, if somebody signed in there: it can end with
-- the password.
alter table api_token add account bigint references account on delete cascade;
update api_token t set account = a.id from account a where t.name like '%, ' || a.name;

-- +goose Down
alter table api_token drop account;
