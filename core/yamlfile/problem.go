package yamlfile

import (
	"fmt"
	"strings"
)

// Problem is one thing wrong with a file. Line and Column count from 1; 0
// means that the problem has no place.
type Problem struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Message string `json:"message"`
}

func (p Problem) String() string {
	if p.Line == 0 {
		return fmt.Sprintf("%s: %s", p.File, p.Message)
	}
	return fmt.Sprintf("%s:%d:%d: %s", p.File, p.Line, p.Column, p.Message)
}

// Problems is the error of a file that cannot be used: every problem found,
// in the order of the file.
type Problems []Problem

func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.String()
	}
	return strings.Join(lines, "\n")
}

// Nearest returns the candidate that most likely was meant by word, or "" if
// none is close. Closeness is the Damerau-Levenshtein distance (optimal string
// alignment), at most a third of the word's length and at least one.
func Nearest(word string, candidates []string) string {
	best, bestAt := "", max(1, len(word)/3)+1
	for _, c := range candidates {
		if apart := len(word) - len(c); apart >= 4*bestAt || -apart >= 4*bestAt {
			continue // no letter has more than four bytes
		}
		if d := distance(strings.ToLower(word), strings.ToLower(c)); d < bestAt {
			best, bestAt = c, d
		}
	}
	return best
}

func distance(a, b string) int {
	s, t := []rune(a), []rune(b)
	rows := make([][]int, len(s)+1)
	for i := range rows {
		rows[i] = make([]int, len(t)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(s); i++ {
		for j := 1; j <= len(t); j++ {
			cost := 1
			if s[i-1] == t[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && s[i-1] == t[j-2] && s[i-2] == t[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(s)][len(t)]
}
