// Command teachvectors makes the second set of word vectors that comes with
// Juvalogos: those that the vectors of texts are made of. It begins with the
// vectors that cutvectors made and their weights by smooth inverse frequency,
// and moves both so that texts that belong together come near each other and
// others do not: a heading and what stands below it, a sentence and those around
// it, a word and its definition, a package's summary and its description. The
// texts are those of Debian's packages; none that docs/retrieval.md reports on,
// and none that the weights of searches are set on, is among them.
//
//	apt-get download $(cat scripts/teachvectors/packages.txt), each unpacked
//	with dpkg -x below one folder, the descriptions in apt's lists beside them
//	as Translation-en; then
//	go run ./scripts/teachvectors FOLDER core/embedding/vectors
//
// It takes a quarter of an hour and the same pairs make the same vectors.
package main

import (
	"flag"
	"fmt"
	"os"

	"juvalogos/core/embedding"
)

func main() {
	c := course{epochs: 3, batch: 512, window: 8192, rate: 0.1, sharpness: 20, drop: 0.7}
	flag.IntVar(&c.epochs, "epochs", c.epochs, "how often all pairs are gone through")
	flag.Float64Var(&c.rate, "rate", c.rate, "how far a step goes at first")
	flag.Float64Var(&c.sharpness, "sharpness", c.sharpness, "by what cosines are multiplied")
	flag.Float64Var(&c.drop, "drop", c.drop, "how often the words that both texts of a pair have are left out of one")
	flag.Parse()
	if flag.NArg() != 2 {
		fmt.Fprintln(os.Stderr, "teachvectors: name the folder of the packages and the folder to write to")
		os.Exit(2)
	}
	if err := teach(flag.Arg(0), flag.Arg(1), c); err != nil {
		fmt.Fprintln(os.Stderr, "teachvectors:", err)
		os.Exit(1)
	}
}

func teach(from, to string, c course) error {
	words := embedding.Load()
	pairs, err := gather(from, words)
	if err != nil {
		return err
	}
	pairs, held := holdBack(pairs, c.batch)
	fmt.Printf("%d pairs; %d batches are held out\n", len(pairs), len(held))
	l := begin(words)
	l.learn(pairs, held, c)
	return l.write(to)
}

// holdBack takes a batch out of every so many pairs, to measure on. What stands
// together comes from the same document, so these are the harder ones.
func holdBack(pairs []pair, batch int) (rest []pair, held [][]pair) {
	const every = 16384
	for i := 0; i < len(pairs); i += every {
		some := pairs[i:min(len(pairs), i+every)]
		if len(some) > batch {
			held, some = append(held, some[:batch]), some[batch:]
		}
		rest = append(rest, some...)
	}
	return rest, held
}
