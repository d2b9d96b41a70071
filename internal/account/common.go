package account

import (
	"strings"
	"unicode"
)

// commonCores are what passwords that are tried first are made of, once figures
// and signs at their ends are gone and look-alikes are letters again.
var commonCores = map[string]bool{
	"password": true, "passwort": true, "passphrase": true, "secret": true, "letmein": true, "welcome": true,
	"admin": true, "administrator": true, "root": true, "user": true, "login": true, "changeme": true, "default": true,
	"iloveyou": true, "sunshine": true, "princess": true, "football": true, "baseball": true, "basketball": true,
	"superman": true, "batman": true, "dragon": true, "monkey": true, "master": true, "shadow": true, "michael": true,
	"jennifer": true, "computer": true, "internet": true, "trustno": true, "whatever": true, "starwars": true,
	"charlie": true, "freedom": true, "hello": true, "helloworld": true, "summer": true, "winter": true, "spring": true,
	"autumn": true, "january": true, "february": true, "march": true, "april": true, "june": true, "july": true,
	"august": true, "september": true, "october": true, "november": true, "december": true, "juvalogos": true,
	"passwordpassword": true, "adminadmin": true, "testtest": true, "testing": true, "test": true, "guest": true,
	"correcthorsebatterystaple": true, "nopassword": true, "mypassword": true, "yourpassword": true,
	"newpassword": true,
}

// rows are keys beside each other, and letters and figures in their order.
var rows = []string{"qwertyuiopasdfghjklzxcvbnm", "qwertzuiopasdfghjklyxcvbnm", "azertyuiopqsdfghjklmwxcvbn",
	"abcdefghijklmnopqrstuvwxyz", "01234567890123456789", "1qaz2wsx3edc4rfv5tgb6yhn7ujm"}

var lookAlikes = strings.NewReplacer("0", "o", "1", "i", "3", "e", "4", "a", "5", "s", "7", "t", "@", "a", "$", "s",
	"!", "i")

// isCommon reports whether a password is one of the first that are tried: a
// common word with something at its end, the account's name, keys in a row, or
// the same again and again.
func isCommon(password, name string) bool {
	plain := strings.ToLower(strings.Join(strings.Fields(password), ""))
	if repeats(plain) {
		return true
	}
	for _, row := range rows {
		if strings.Contains(row, plain) || strings.Contains(backwards(row), plain) {
			return true
		}
	}
	core := strings.TrimFunc(plain, func(r rune) bool { return !unicode.IsLetter(r) })
	whole := strings.ToLower(strings.Join(strings.Fields(name), ""))
	for _, c := range []string{core, strings.TrimFunc(lookAlikes.Replace(plain),
		func(r rune) bool { return !unicode.IsLetter(r) }),
		lookAlikes.Replace(core)} {
		if commonCores[c] || c == "" && len(plain) < 14 || whole != "" && c == whole {
			return true
		}
	}
	return false
}

// repeats reports whether a text is a piece of up to four letters again and again.
func repeats(text string) bool {
	letters := []rune(text)
	for size := 1; size <= 4; size++ {
		same := len(letters) > size
		for i := size; i < len(letters) && same; i++ {
			same = letters[i] == letters[i-size]
		}
		if same {
			return true
		}
	}
	return false
}

func backwards(text string) string {
	letters := []rune(text)
	for i, j := 0, len(letters)-1; i < j; i, j = i+1, j-1 {
		letters[i], letters[j] = letters[j], letters[i]
	}
	return string(letters)
}
