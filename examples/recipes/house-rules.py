#!/usr/bin/env python3
"""Holds questions of a quiz against rules of the house, in the middle of a recipe.

The step `program` calls it for each section. On standard input comes one JSON object, with
the questions that a model wrote and their section; on standard output goes the list of
those that may stay. What it writes on standard error stands in the log.
"""

import json
import re
import sys

LONGEST = 30  # words of a question
TRICKS = re.compile(r"^(which|what|who|when|where|why|how)\b[^?]*\b(not|never|except)\b", re.IGNORECASE)
CATCH_ALL = re.compile(r"\b(all|none|both) of (the above|them|these)\b", re.IGNORECASE)


def breaks(question):
    """Which rule a question breaks; "" if none."""
    text = question["question"].strip()
    if "?" not in text:
        return "it is no question"
    if len(text.split()) > LONGEST:
        return "it is too long"
    if TRICKS.search(text):
        return "it asks for what is not so"
    if any(CATCH_ALL.search(o) for o in [question["right"], *question["wrong"]]):
        return "an option says all or none of the others"
    return ""


given = json.load(sys.stdin)
kept = []
for question in given["questions"]:
    broken = breaks(question)
    if broken:
        print(f"dropped, since {broken}: {question['question']}", file=sys.stderr)
    else:
        kept.append(question)
json.dump(kept, sys.stdout)
