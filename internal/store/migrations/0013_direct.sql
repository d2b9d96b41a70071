-- +goose Up

-- A model that is asked by its name, through the completions protocol, belongs to no
-- desk (0) and to no turn. model_call keeps its figures.
alter table trace drop constraint trace_kind_check;
alter table trace add constraint trace_kind_check check (kind in ('reply', 'summary', 'rerun', 'direct'));

-- +goose Down
delete from trace where kind = 'direct';
alter table trace drop constraint trace_kind_check;
alter table trace add constraint trace_kind_check check (kind in ('reply', 'summary', 'rerun'));
