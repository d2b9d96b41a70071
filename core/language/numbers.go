package language

// numerals are English numbers that are written out.
var numerals = map[string]string{
	"one": "1", "two": "2", "three": "3", "four": "4", "five": "5", "six": "6", "seven": "7", "eight": "8", "nine": "9",
	"ten":    "10",
	"eleven": "11", "twelve": "12", "thirteen": "13", "fourteen": "14", "fifteen": "15", "sixteen": "16",
	"seventeen": "17",
	"eighteen":  "18", "nineteen": "19", "twenty": "20", "thirty": "30", "forty": "40", "fifty": "50", "sixty": "60",
	"seventy": "70",
	"eighty":  "80", "ninety": "90", "hundred": "100", "thousand": "1000", "million": "1000000",
}

// shares are English words that count, but are no whole numbers.
var shares = Set("half third quarter once twice")

// Numeral is a number that is written out, in digits; false if a word in lower
// case is none. English ones are known.
func Numeral(word string) (digits string, ok bool) {
	digits, ok = numerals[word]
	return digits, ok
}

// Counts reports whether a word in lower case says how many: a number that is
// written out, a share of one, or how often.
func Counts(word string) bool { return numerals[word] != "" || shares[word] }
