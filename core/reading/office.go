package reading

import "strings"

// nested gathers the paragraphs of office files, which nest: one in a text box or
// a note stands within the one that it is at, and follows it.
type nested struct {
	d     *Document
	begun []*begun
	table grid
	aside []Block // notes of a table's row, which follow it
}

// begun is a paragraph that has begun.
type begun struct {
	text  strings.Builder
	block Block
	after []Block // text boxes and notes
}

// now is the innermost paragraph; nil: there is none.
func (n *nested) now() *begun {
	if len(n.begun) == 0 {
		return nil
	}
	return n.begun[len(n.begun)-1]
}

func (n *nested) begin(b Block) { n.begun = append(n.begun, &begun{block: b}) }

func (n *nested) write(text string) {
	if p := n.now(); p != nil {
		p.text.WriteString(text)
	}
}

// end ends a paragraph: it goes to the one around it, to its cell, or to the
// document.
func (n *nested) end() {
	p := n.now()
	if p == nil {
		return
	}
	n.begun = n.begun[:len(n.begun)-1]
	p.block.Text = squeeze(p.text.String())
	outer := n.now()
	switch {
	case outer != nil:
		if p.block.Text != "" {
			outer.after = append(outer.after, Block{Kind: Paragraph, Text: p.block.Text})
		}
		outer.after = append(outer.after, p.after...)
	case n.table.within():
		n.table.add(p.block.Text)
		n.aside = append(n.aside, p.after...)
	default:
		n.d.Blocks = append(append(n.d.Blocks, p.block), p.after...)
	}
}

// rows adds what rows there are; their notes follow them.
func (n *nested) rows(rows []Block) {
	if len(rows) > 0 {
		n.d.Blocks = append(append(n.d.Blocks, rows...), n.aside...)
		n.aside = nil
	}
}

func (n *nested) endTable() {
	n.rows(n.table.end())
	if !n.table.within() {
		n.d.Blocks, n.aside = append(n.d.Blocks, n.aside...), nil
	}
}
