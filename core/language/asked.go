package language

import "strings"

// askedWith are words that questions have, by language, beside those of stopWords.
var askedWith = map[string]map[string]bool{
	"en": Set("much many often long old far any anyone someone get need want go make let's i'm don't isn't there's " +
		"what's who's where's"),
	"de": Set(`welche welcher welches welchen wieviel wieviele viel viele oft lange gibt haben habe hat darf dürfen
		können müssen sollen mein meine meinen ihr ihre uns unser unsere sich bei nach vor über unter wenn dann auch
		noch schon kein keine wird werden macht machen dieser diese dieses`),
	"fr": Set(`quel quelle quels quelles combien quand où est-ce qu'est-ce faut-il peut-on puis-je ai-je y a-t-il
		doit peut faut mon ma mes notre nos votre vos ce cette ces au aux en ne plus avant après avoir être fait faire
		c'est j'ai`),
	"es": Set(`cuál cuáles quién cuánto cuánta cuántos cuántas qué puedo puede debo debe hay mi mis nuestro nuestra
		una unos unas del al lo le les está están tengo tiene hacer antes después sobre cada`),
	"it": Set(`quale quali quanto quanta quanti quante cosa posso può devo deve c'è ci sono mio mia nostro nostra uno
		dei delle degli al alla nel nella ho ha hanno fare prima dopo sul sulla`),
	"nl": Set(`welke hoeveel kan mag moet moeten mijn ons onze ik je jij u heb heeft hebben wordt worden bij naar
		als dan ook nog geen maar uit over onder deze dit`),
	"pt": Set(`qual quais quanto quanta quantos quantas posso pode devo deve há meu minha nosso nossa uns umas ao à
		pelo pela tenho tem fazer antes depois sobre isso esta este`),
	"sv": Set(`vad vem var när varför hur vilken vilket vilka kan får måste ska jag man vi är det den ett en och att
		på för med inte mitt min våra många mycket finns har`),
	"no": Set(`hva hvem hvor når hvorfor hvordan hvilken hvilket hvilke kan får må skal jeg man vi er det den et en
		og å på for med ikke mitt min våre mange mye finnes har`),
	"cy": Set(`beth pwy ble pryd pam sut faint pa mae oes ydy yw i'r a'r fy ein gall rhaid allaf y yr yn o ar gyda`),
	"hu": Set("mi ki hol mikor miért hogyan hány melyik kell lehet van a az egy és nem meg ha"),
	"ru": Set("что кто где когда почему как какой какая какие сколько можно нужно ли в на и не мой наш у я мы с по"),
}

// Asked guesses the language of a question, which has few words: that of which it has
// the most that every text has, two at least, or one of three words; "" if it cannot
// tell. What English has as well tells nothing.
func Asked(question string) string {
	counts, total := map[string]int{}, 0
	for w := range strings.FieldsFuncSeq(strings.ToLower(question), between) {
		total++
		if language := scriptOf(w); language != "" {
			return language
		}
		for language := range askedWith {
			if askedWith[language][w] || stopWords[language][w] || frequentIn[language][w] {
				counts[language]++
			}
		}
	}
	best, second := "", 0
	for language, n := range counts {
		switch {
		case best == "" || n > counts[best]:
			best, second = language, counts[best]
		default:
			second = max(second, n)
		}
	}
	if n := counts[best]; n == second || n < 2 && total > 3 {
		return ""
	}
	return best
}

// frequentIn are the frequent words of each language.
var frequentIn = func() map[string]map[string]bool {
	all := map[string]map[string]bool{}
	for language, list := range frequent {
		all[language] = Set(list)
	}
	return all
}()
