#!/bin/sh
# A model for Juvalogos as a shell script: the question comes on standard input, and
# what is written is the reply. Add it with
#
#     juvalogos connection add -program ./answer.sh -plain
#
# JUVALOGOS_MAX_TOKENS, JUVALOGOS_SEED and others hold what the desk wishes,
# JUVALOGOS_FILES the files that came along; docs/programs.md lists them.
question=$(cat)
printf 'You wrote %s words.' "$(printf '%s' "$question" | wc -w | tr -d ' ')"
if [ -n "$JUVALOGOS_SEED" ]; then
	printf ' The seed is %s.' "$JUVALOGOS_SEED"
fi
printf '%s\n' "$JUVALOGOS_FILES" | while IFS= read -r file; do
	if [ -n "$file" ]; then
		printf ' A file of %s bytes came along.' "$(wc -c <"$file" | tr -d ' ')"
	fi
done
echo
