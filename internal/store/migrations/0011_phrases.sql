-- +goose Up

-- What is wrong with a file, as a form and its values, so that a page can say it
-- in its own language.
alter table document alter column problem drop default;
alter table document alter column problem type jsonb
    using case when problem = '' then '{}' else jsonb_build_object('form', problem) end;
alter table document alter column problem set default '{}';

-- +goose Down
alter table document alter column problem drop default;
alter table document alter column problem type text using coalesce(problem ->> 'form', '');
alter table document alter column problem set default '';
