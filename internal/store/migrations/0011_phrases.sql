-- +goose Up

-- What is wrong with a file, as a form and its values, so that a page can say it
-- in its own language.
alter table document alter column problem drop default;
alter table document alter column problem type jsonb
    using case when problem = '' then '{}' else jsonb_build_object('form', problem) end;
alter table document alter column problem set default '{}';

-- What a program supplies with its question, and what a visitor filled in beside
-- theirs; the same names as everywhere else.
alter table turn rename column given to supplied;
alter table attempt rename column takes to inputs;

-- In desk files that hold a recipe of their own, its key as well. What a revision
-- says stays as it is; it is written as it would be now.
alter table revision disable trigger revision_stays;
update revision set file = regexp_replace(file, '^([ \t]*)takes:([ \t]*\n[ \t]*- |[ \t]*\[)', '\1inputs:\2', 'n')
    where file ~ 'own_recipe:';
update revision set digest = sha256(convert_to(file, 'UTF8')) where file ~ 'own_recipe:';
alter table revision enable trigger revision_stays;
update draft set
    file = regexp_replace(file, '^([ \t]*)takes:([ \t]*\n[ \t]*- |[ \t]*\[)', '\1inputs:\2', 'n'),
    good = regexp_replace(good, '^([ \t]*)takes:([ \t]*\n[ \t]*- |[ \t]*\[)', '\1inputs:\2', 'n')
    where file ~ 'own_recipe:' or good ~ 'own_recipe:';

-- +goose Down
alter table turn rename column supplied to given;
alter table attempt rename column inputs to takes;
alter table document alter column problem drop default;
alter table document alter column problem type text using coalesce(problem ->> 'form', '');
alter table document alter column problem set default '';
