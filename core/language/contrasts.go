package language

import "strings"

// contrasts are words of which one excludes the others, as things of one kind do: a line each.
// Where two lines have a word, its neighbours in both exclude it.
const contrasts = `red blue green yellow white black brown grey gray purple orange pink
monday tuesday wednesday thursday friday saturday sunday
january february march april may june july august september october november december
spring summer autumn winter
morning noon afternoon evening night midnight
north south east west
left right
before after
above below over under
more less fewer
many few
much little
same different
same other
always never rarely seldom
often rarely seldom never
like unlike
most least fewest
increase decrease rise fall grow shrink
increased decreased rose fell grew shrank
first last
early late
hot warm cool cold
wet dry
open closed
open shut
opened closed
allowed forbidden
allow forbid
permitted prohibited
always never
begin end
start stop
started stopped
buy sell
bought sold
lend borrow
lent borrowed
young old
new old
large small
big small
high low
higher lower
long short
longer shorter
heavy light
heavier lighter
strong weak
male female
man woman
men women
boy girl
mother father
north-east south-west
inside outside
indoors outdoors
daily weekly monthly yearly
hourly daily
free charged
minimum maximum
mandatory optional
required optional
public private
safe dangerous
alive dead
enter leave
arrive depart
add remove
accept refuse
accepted refused
win lose
won lost
king queen
day night
pass fail
passed failed
true false
full empty
front back
top bottom
upper lower
solid liquid gas
gold silver bronze
metre kilometre centimetre millimetre mile
gram kilogram tonne
second minute hour week month year decade century`

var contrastsOf = func() map[string]map[string]bool {
	all := map[string]map[string]bool{}
	for line := range strings.Lines(contrasts) {
		words := strings.Fields(line)
		for _, w := range words {
			stem := Stem("en", w)
			if all[stem] == nil {
				all[stem] = map[string]bool{}
			}
			for _, other := range words {
				if other != w {
					all[stem][Stem("en", other)] = true
				}
			}
		}
	}
	return all
}()

// Contrasts are the stems of words that a word excludes by its meaning, as red does blue; nil:
// none are known. It is given as a stem, in English, and the answer must not be changed.
func Contrasts(stem string) map[string]bool { return contrastsOf[stem] }
