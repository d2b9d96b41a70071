package vault

import (
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"net/url"
	"strings"
	"testing"
)

// A server may repeat a key in any form: what is left has no eight signs of it.
func TestSecretsAreHiddenInEveryForm(t *testing.T) {
	const key = "mk-Open7Sesame.Alder_Vale-42/x"
	backwards := []byte(key)
	for i, j := 0, len(backwards)-1; i < j; i, j = i+1, j-1 {
		backwards[i], backwards[j] = backwards[j], backwards[i]
	}
	for name, form := range map[string]string{
		"plain":            key,
		"in capitals":      strings.ToUpper(key),
		"base64":           base64.StdEncoding.EncodeToString([]byte(key)),
		"base64 for URLs":  base64.RawURLEncoding.EncodeToString([]byte(key)),
		"basic access":     base64.StdEncoding.EncodeToString([]byte("user:" + key)),
		"within, by 1":     base64.StdEncoding.EncodeToString([]byte("x" + key + "tail")),
		"within, by 2":     base64.StdEncoding.EncodeToString([]byte("xy" + key + "tail")),
		"hexadecimal":      hex.EncodeToString([]byte(key)),
		"hex with spaces":  fmt.Sprintf("% X", key),
		"split in lines":   key[:10] + "\n" + key[10:20] + "\n" + key[20:],
		"split in a list":  fmt.Sprintf("[%q, %q]", key[:13], key[13:]),
		"letter by letter": strings.Join(strings.Split(key, ""), " "),
		"cut off":          key[:20] + "…",
		"its end":          "…" + key[12:],
		"backwards":        string(backwards),
		"percent":          url.QueryEscape(key),
		"quoted":           fmt.Sprintf("%q", key),
	} {
		got := Hide("Wrong key "+form+" given.", key)
		if !strings.HasPrefix(got, "Wrong key ") || !strings.HasSuffix(got, " given.") ||
			!strings.Contains(got, hidden) {
			t.Errorf("%s: %s", name, got)
		}
		if left := len(got) - len("Wrong key  given.") - strings.Count(got, hidden)*len(hidden); left > 12 {
			t.Errorf("%s: of %q there is left %q", name, form, got)
		}
	}
	for _, text := range []string{"", "the model is not there", "sk", "Open the hive in April."} {
		if got := Hide(text, key, ""); got != text {
			t.Errorf("%q became %q", text, got)
		}
	}
	if got := Hide("a b c abc", "abc"); got != "a b c (secret)" {
		t.Errorf("a short one: %q", got)
	}
}

func FuzzHide(f *testing.F) {
	f.Add("the key is open-sesame-42", "open-sesame-42")
	f.Fuzz(func(t *testing.T, text, secret string) {
		got := Hide(text, secret)
		if len(secret) > 0 && secret != "(" && !strings.Contains(hidden, secret) && strings.Contains(got, secret) &&
			len(secret) > len(hidden) {
			t.Errorf("%q in %q gives %q", secret, text, got)
		}
	})
}
