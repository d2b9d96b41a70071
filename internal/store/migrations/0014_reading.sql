-- +goose Up

-- What was read of a document beside what is in it: how many words a reader of
-- the original sees, and what of them is left out and why. The edition is that of
-- the readers; what an older one read is read anew.
alter table document add edition int not null default 0;
alter table document add original int not null default 0;
alter table document add left_out jsonb not null default '[]';

-- How many of the words that are left out say something that a reader of the
-- original reads for what it says.
create function missed_words(left_out jsonb) returns int language sql immutable as
    $$ select coalesce(sum((o->>'words')::int), 0)::int from jsonb_array_elements(left_out) o
        where o->>'why' in ('lost', 'unreadable', 'missing') $$;

-- What stands at its edges, and which of its blocks are in no passage because
-- they stand at the edges of many.
alter table document add edges jsonb not null default '[]';
alter table document add skipped int[] not null default '{}';

-- Passages are measured in tokens; what was a number of words has about half
-- as many again.
update shelf set settings = settings - 'words' || jsonb_build_object(
    'tokens', round((settings->>'words')::numeric * 1.55),
    'overlap', round(coalesce((settings->>'overlap')::numeric, 100) * 1.55))
    where settings ? 'words';

-- What the built-in vectors of a shelf's passages have in common, so that the same
-- is found after a restart and by every instance.
alter table shelf add common real[];
alter table shelf add common_of int not null default 0;

-- +goose Down
update shelf set settings = settings - 'tokens' || jsonb_build_object(
    'words', round((settings->>'tokens')::numeric / 1.55),
    'overlap', round(coalesce((settings->>'overlap')::numeric, 155) / 1.55))
    where settings ? 'tokens';
alter table shelf drop common, drop common_of;
drop function missed_words(jsonb);
alter table document drop edition, drop original, drop left_out, drop edges, drop skipped;
