// Package recipe reads, checks and runs recipes: how a reply is made.
//
// A recipe file names what is taken from the visitor and from the desk file,
// and steps whose typed inputs are wired by name to what others give:
//
//	recipe: brief-answers
//	about: Answers in one sentence.
//	takes:
//	  - {name: question, type: text}
//	steps:
//	  - name: prompt
//	    do: compose
//	    from: {question: question}
//	    set: {user: "In one sentence: {{.question}}"}
//	  - name: answer
//	    do: generate
//	    from: {prompt: prompt.prompt}
//	reply: answer.text
//
// Read turns it into a File, Check into a Recipe that can run, and tells with
// line and column what is wrong. Run runs it: steps that do not need each
// other run side by side, and every step leaves a Span. What a kind of step
// does is not known here: a Kind declares its inputs, outputs and settings,
// and whoever runs a recipe hands over a Do that does it.
package recipe
