// Package evidence is what documents say, from the index to the page: the
// passages that were found, where exactly they stand, and which of them the
// sentences of a reply rest on. Retrieval finds a Passage, a recipe's wires
// carry it, cite and spot make Sources of it, and these are what goes on
// record and what a page shows in its margin. Its JSON is the wire's and the
// record's alike.
//
//	p := evidence.Passage{Number: 1, Title: "Handbook", Text: "Feed in the evening.", Spans: spans}
//	note := p.Note("in the evening")     // where the words stand in the document
//	fmt.Println(note.Place, note.Marks)  // page 3 [{4 12 26}]
//
// Offsets are bytes of UTF-8 everywhere. What is counted from 1 says so; all
// else is counted from 0.
package evidence
