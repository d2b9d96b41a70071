package quiz

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
)

// QTI 3 is 1EdTech's open standard for tests: an item for each question, a test that names
// them, and a manifest, in a zip file.

const (
	qtiSpace      = "http://www.imsglobal.org/xsd/imsqtiasi_v3p0"
	manifestSpace = "http://www.imsglobal.org/xsd/qti/qtiv3p0/imscp_v1p1"
	matchCorrect  = "https://purl.imsglobal.org/spec/qti/v3p0/rptemplates/match_correct.xml"
)

type qtiItem struct {
	XMLName    xml.Name      `xml:"http://www.imsglobal.org/xsd/imsqtiasi_v3p0 qti-assessment-item"`
	Identifier string        `xml:"identifier,attr"`
	Title      string        `xml:"title,attr"`
	Adaptive   bool          `xml:"adaptive,attr"`
	Time       bool          `xml:"time-dependent,attr"`
	Language   string        `xml:"http://www.w3.org/XML/1998/namespace lang,attr,omitempty"`
	Responses  []qtiResponse `xml:"qti-response-declaration"`
	Outcomes   []qtiOutcome  `xml:"qti-outcome-declaration"`
	Body       qtiBody       `xml:"qti-item-body"`
	Processing *qtiTemplate  `xml:"qti-response-processing"`
}

type qtiResponse struct {
	Identifier  string   `xml:"identifier,attr"`
	Cardinality string   `xml:"cardinality,attr"`
	BaseType    string   `xml:"base-type,attr"`
	Correct     []string `xml:"qti-correct-response>qti-value"`
}

type qtiOutcome struct {
	Identifier  string `xml:"identifier,attr"`
	Cardinality string `xml:"cardinality,attr"`
	BaseType    string `xml:"base-type,attr"`
	Default     string `xml:"qti-default-value>qti-value"`
}

type qtiTemplate struct {
	Template string `xml:"template,attr"`
}

type qtiBody struct {
	Choices []qtiChoice `xml:"qti-choice-interaction"`
	Inner   []byte      `xml:",innerxml"`
}

type qtiChoice struct {
	Response string      `xml:"response-identifier,attr"`
	Shuffle  bool        `xml:"shuffle,attr"`
	Most     *int        `xml:"max-choices,attr"`
	Prompt   qtiText     `xml:"qti-prompt"`
	Options  []qtiOption `xml:"qti-simple-choice"`
}

type qtiOption struct {
	Identifier string `xml:"identifier,attr"`
	qtiText
}

// qtiText is the text of an element, with that of all within it.
type qtiText struct{ Text string }

func (t *qtiText) UnmarshalXML(d *xml.Decoder, start xml.StartElement) error {
	text, err := innerText(d)
	t.Text = text
	return err
}

// UnmarshalXML reads an option with its name and all text within it.
func (o *qtiOption) UnmarshalXML(d *xml.Decoder, start xml.StartElement) error {
	for _, a := range start.Attr {
		if a.Name.Local == "identifier" {
			o.Identifier = a.Value
		}
	}
	text, err := innerText(d)
	o.Text = text
	return err
}

func innerText(d *xml.Decoder) (string, error) {
	var b strings.Builder
	for depth := 1; depth > 0; {
		token, err := d.Token()
		if err != nil {
			return "", err
		}
		switch token := token.(type) {
		case xml.StartElement:
			depth++
		case xml.EndElement:
			depth--
			b.WriteByte(' ')
		case xml.CharData:
			b.Write(token)
		}
	}
	return strings.Join(strings.Fields(b.String()), " "), nil
}

func escaped(s string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(s)) // a buffer takes everything
	return b.String()
}

// item is a question as an item of QTI.
func (q *Question) item(number int, lang string) []byte {
	var b bytes.Buffer
	b.WriteString(xml.Header)
	fmt.Fprintf(&b, `<qti-assessment-item xmlns="%s" identifier="question-%d" title="%s" adaptive="false" time-dependent="false" xml:lang="%s">
  <qti-response-declaration identifier="RESPONSE" cardinality="single" base-type="identifier">
    <qti-correct-response><qti-value>option-%d</qti-value></qti-correct-response>
  </qti-response-declaration>
  <qti-outcome-declaration identifier="SCORE" cardinality="single" base-type="float">
    <qti-default-value><qti-value>0</qti-value></qti-default-value>
  </qti-outcome-declaration>
  <qti-item-body>
    <qti-choice-interaction response-identifier="RESPONSE" shuffle="true" max-choices="1">
      <qti-prompt>%s</qti-prompt>
`, qtiSpace, number, escaped(clipped(q.Text)), escaped(lang), q.Right()+1, escaped(q.Text))
	for i, o := range q.Options {
		fmt.Fprintf(&b, "      <qti-simple-choice identifier=\"option-%d\">%s</qti-simple-choice>\n", i+1,
			escaped(o.Text))
	}
	fmt.Fprintf(&b, `    </qti-choice-interaction>
  </qti-item-body>
  <qti-response-processing template="%s"/>
</qti-assessment-item>
`, matchCorrect)
	return b.Bytes()
}

// WriteQTI writes a quiz as a package of QTI 3. The error is the writer's.
func (q *Quiz) WriteQTI(to io.Writer) error {
	lang := q.Language
	if lang == "" {
		lang = "en"
	}
	z := zip.NewWriter(to)
	put := func(name string, body []byte) error {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(body)
		}
		return err
	}
	var refs, resources, depends strings.Builder
	for i := range q.Questions {
		name := fmt.Sprintf("items/question-%d.xml", i+1)
		if err := put(name, q.Questions[i].item(i+1, lang)); err != nil {
			return err
		}
		fmt.Fprintf(&refs, "      <qti-assessment-item-ref identifier=\"ref-%d\" href=\"%s\"/>\n", i+1, name)
		fmt.Fprintf(&resources,
			"    <resource identifier=\"question-%d\" type=\"imsqti_item_xmlv3p0\" href=\"%s\">"+
				"<file href=\"%s\"/></resource>\n",
			i+1, name, name)
		fmt.Fprintf(&depends, "<dependency identifierref=\"question-%d\"/>", i+1)
	}
	test := fmt.Sprintf(`%s<qti-assessment-test xmlns="%s" identifier="quiz" title="%s">
  <qti-test-part identifier="part" navigation-mode="nonlinear" submission-mode="individual">
    <qti-assessment-section identifier="section" title="%s" visible="true">
%s    </qti-assessment-section>
  </qti-test-part>
</qti-assessment-test>
`, xml.Header, qtiSpace, escaped(q.Title), escaped(q.Title), refs.String())
	manifest := fmt.Sprintf(`%s<manifest xmlns="%s" identifier="quiz-package">
  <metadata><schema>QTI Package</schema><schemaversion>3.0.0</schemaversion></metadata>
  <organizations/>
  <resources>
    <resource identifier="quiz" type="imsqti_test_xmlv3p0" href="test.xml"><file href="test.xml"/>%s</resource>
%s  </resources>
</manifest>
`, xml.Header, manifestSpace, depends.String(), resources.String())
	return errors.Join(put("test.xml", []byte(test)), put("imsmanifest.xml", []byte(manifest)), z.Close())
}

// Bounds of a package that is read.
const (
	mostItems    = 400
	mostItemSize = 1 << 20
	mostUnpacked = 16 << 20 // of all together
)

// ReadQTI reads questions with one right option out of a package of QTI 3, or out of one item.
// left says which items were left out, and why. The error says why nothing of it can be used.
func ReadQTI(title string, body []byte) (q Quiz, left []string, err error) {
	q = Quiz{Title: title, Questions: []Question{}}
	if !bytes.HasPrefix(body, []byte("PK")) {
		one, why := readItem(body)
		if why != "" {
			return q, nil, fmt.Errorf("this item cannot be taken: %s", why)
		}
		q.Questions = append(q.Questions, one)
		return q, nil, q.Wrong()
	}
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return q, nil, fmt.Errorf("this is no package of QTI 3: %w", err)
	}
	if len(z.File) > mostItems {
		return q, nil, fmt.Errorf("it has %d files; at most %d are read", len(z.File), mostItems)
	}
	unpacked := 0
	order := map[string]int{}
	items := map[string][]byte{}
	var names []string
	for _, f := range z.File {
		if path.Ext(f.Name) != ".xml" || path.Base(f.Name) == "imsmanifest.xml" {
			continue
		}
		text, err := unzipped(f)
		if err == nil {
			unpacked += len(text)
		}
		if err == nil && unpacked > mostUnpacked {
			err = fmt.Errorf("the package unpacks to more than %d MB", mostUnpacked>>20)
		}
		if err != nil {
			return q, nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		var test struct {
			XMLName xml.Name
			Title   string `xml:"title,attr"`
		}
		if xml.Unmarshal(text, &test) == nil && test.XMLName.Local == "qti-assessment-test" {
			if q.Title = test.Title; q.Title == "" {
				q.Title = title
			}
			for i, ref := range refsIn(text) {
				order[path.Join(path.Dir(f.Name), ref)] = i + 1
			}
			continue
		}
		items[f.Name] = text
		names = append(names, f.Name)
	}
	slices.SortStableFunc(names, func(a, b string) int { return order[a] - order[b] })
	for _, name := range names {
		one, why := readItem(items[name])
		if why != "" {
			left = append(left, name+": "+why)
			continue
		}
		q.Questions = append(q.Questions, one)
	}
	if len(q.Questions) == 0 && left != nil {
		return q, left, fmt.Errorf("none of its items can be taken: %s", strings.Join(left, "; "))
	}
	return q, left, q.Wrong()
}

func unzipped(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, mostItemSize+1))
	if err == nil && len(text) > mostItemSize {
		err = fmt.Errorf("it unpacks to more than %d kB", mostItemSize>>10)
	}
	return text, err
}

// refsIn are the items that a test names, in its order.
func refsIn(text []byte) (refs []string) {
	d := xml.NewDecoder(bytes.NewReader(text))
	for {
		token, err := d.Token()
		if err != nil {
			return refs
		}
		if e, is := token.(xml.StartElement); is && e.Name.Local == "qti-assessment-item-ref" {
			for _, a := range e.Attr {
				if a.Name.Local == "href" {
					refs = append(refs, a.Value)
				}
			}
		}
	}
}

// readItem reads an item with one choice of one; why says why it cannot be taken.
func readItem(text []byte) (q Question, why string) {
	var item qtiItem
	if err := xml.Unmarshal(text, &item); err != nil {
		return q, "it is no item of QTI 3 (" + err.Error() + ")"
	}
	if len(item.Body.Choices) != 1 {
		return q, fmt.Sprintf("it asks %d choices; one is read", len(item.Body.Choices))
	}
	choice := item.Body.Choices[0]
	if choice.Most != nil && *choice.Most != 1 {
		return q, "more than one option may be chosen"
	}
	at := slices.IndexFunc(item.Responses, func(r qtiResponse) bool { return r.Identifier == choice.Response })
	if at < 0 || len(item.Responses[at].Correct) != 1 {
		return q, "it does not say which one option is right"
	}
	right := strings.TrimSpace(item.Responses[at].Correct[0])
	q.Text = choice.Prompt.Text
	if before := bodyText(item.Body.Inner); before != "" {
		q.Text = strings.TrimSpace(before + " " + q.Text)
	}
	for _, o := range choice.Options {
		q.Options = append(q.Options, Option{o.Text, o.Identifier == right})
	}
	if err := q.wrong(); err != nil {
		return q, err.Error()
	}
	return q, ""
}

// bodyText is what stands in an item's body beside its choice.
func bodyText(inner []byte) string {
	d := xml.NewDecoder(bytes.NewReader(inner))
	d.Strict = false
	var b strings.Builder
	depth := 0
	for {
		token, err := d.Token()
		if err != nil {
			return strings.Join(strings.Fields(b.String()), " ")
		}
		switch token := token.(type) {
		case xml.StartElement:
			if token.Name.Local == "qti-choice-interaction" || depth > 0 {
				depth++
			}
		case xml.EndElement:
			depth = max(0, depth-1)
			b.WriteByte(' ')
		case xml.CharData:
			if depth == 0 {
				b.Write(token)
			}
		}
	}
}
