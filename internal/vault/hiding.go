package vault

import (
	"encoding/base64"
	"encoding/hex"
	"slices"
	"strings"
)

// hidden stands where a secret stood.
const hidden = "(secret)"

// leastPart is how many letters and digits of a secret in a row are enough to hide
// them; of a shorter secret all are.
const leastPart = 8

// Hide takes secrets out of a text that comes from outside, in the forms in which
// they are likely to come back: as they are, in parts and with other signs between,
// backwards, in base64, also within a longer text, and in hexadecimal. Capitals and
// small letters count alike.
func Hide(text string, secrets ...string) string {
	for _, secret := range secrets {
		if secret == "" {
			continue
		}
		text = strings.ReplaceAll(text, secret, hidden)
		for _, form := range formsOf(secret) {
			text = hideParts(text, form)
		}
	}
	return text
}

// formsOf are the forms of a secret that are looked for beside itself.
func formsOf(secret string) []string {
	backwards := []rune(secret)
	slices.Reverse(backwards)
	forms := []string{secret, string(backwards), hex.EncodeToString([]byte(secret))}
	// Within a longer text base64 depends on how many bytes come before; what
	// depends on them and on what follows too is left out.
	for before := range 3 {
		coded := base64.RawStdEncoding.EncodeToString(append(make([]byte, before), secret...))
		from := (before*8 + 5) / 6
		to := (before + len(secret)) * 8 / 6
		forms = append(forms, coded[from:max(from, to)])
	}
	return forms
}

// letters are the letters and digits of a text, small, with where each stands.
func letters(text string) (small []byte, at []int) {
	for i := range len(text) {
		switch c := text[i]; {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			small, at = append(small, c), append(at, i)
		case c >= 'A' && c <= 'Z':
			small, at = append(small, c+'a'-'A'), append(at, i)
		}
	}
	return small, at
}

// hideParts hides every stretch of a text whose letters and digits stand in a row in
// a form of a secret.
func hideParts(text, form string) string {
	key, _ := letters(form)
	n := min(leastPart, len(key))
	if n < 4 {
		return text // it would hide half the text
	}
	parts := make(map[string]bool, len(key))
	for i := 0; i+n <= len(key); i++ {
		parts[string(key[i:i+n])] = true
	}
	small, at := letters(text)
	var b strings.Builder
	last, end := 0, -1 // of the text that is written, and of the stretch that is hidden
	for i := 0; i+n <= len(small); i++ {
		if !parts[string(small[i:i+n])] {
			continue
		}
		if from := at[i]; end < 0 || from > end {
			b.WriteString(text[last:from])
			b.WriteString(hidden)
		}
		end = at[i+n-1]
		last = end + 1
	}
	if end < 0 {
		return text
	}
	b.WriteString(text[last:])
	return b.String()
}
