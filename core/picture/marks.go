package picture

import (
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"hash/crc32"
	"strconv"
	"strings"
	"time"
)

// Facts are what a picture that a machine made says of itself.
type Facts struct {
	Words   string // that it was made of
	Model   string
	Seed    *int // nil: none was used
	Seconds float64
	Cost    string // with its currency; "": none
	At      time.Time
}

// machineMade is how the IPTC's vocabulary of digital source types calls pictures that a
// model made (cv.iptc.org/newscodes/digitalsourcetype).
const machineMade = "http://cv.iptc.org/newscodes/digitalsourcetype/trainedAlgorithmicMedia"

// Mark writes facts into a PNG or JPEG, as text chunks (PNG, 11.3.3) and as XMP (ISO
// 16684-1), where programs that show pictures look for them. A file of another kind, or
// one that is none, is returned as it is.
func Mark(body []byte, kind string, f Facts) []byte {
	packet := xmp(f)
	switch {
	case kind == pngKind && len(body) > 33 && KindOf(body) == pngKind:
		const head = 33 // the signature and the first chunk, which is always the same
		out := append([]byte{}, body[:head]...)
		for _, text := range [][2]string{{"Description", f.Words}, {"Software", "Juvalogos"}, {"Source", f.Model},
			{"Comment", f.line()}, {"Creation Time", f.At.UTC().Format(time.RFC3339)}, {"XML:com.adobe.xmp", packet}} {
			if text[1] != "" {
				out = append(out, textChunk(text[0], text[1])...)
			}
		}
		return append(out, body[head:]...)
	case kind == jpegKind && len(body) > 2 && KindOf(body) == jpegKind:
		segment := append([]byte("http://ns.adobe.com/xap/1.0/\x00"), packet...)
		if len(segment)+2 > 0xffff {
			return body
		}
		out := append([]byte{}, body[:2]...)
		out = append(out, 0xff, 0xe1)
		out = binary.BigEndian.AppendUint16(out, uint16(len(segment)+2))
		out = append(out, segment...)
		return append(out, body[2:]...)
	}
	return body
}

// line is what the facts say of how the picture was made, in words.
func (f Facts) line() string {
	parts := []string{"Made by a machine"}
	if f.Seed != nil {
		parts = append(parts, "seed "+strconv.Itoa(*f.Seed))
	}
	if f.Seconds > 0 {
		parts = append(parts, strconv.FormatFloat(f.Seconds, 'f', 1, 64)+" seconds")
	}
	if f.Cost != "" {
		parts = append(parts, f.Cost)
	}
	return strings.Join(parts, ", ")
}

// textChunk is a chunk of international text, not packed.
func textChunk(keyword, text string) []byte {
	data := append([]byte(keyword), 0, 0, 0, 0, 0)
	data = append(data, text...)
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	named := append([]byte("iTXt"), data...)
	out = append(out, named...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(named))
}

func xmp(f Facts) string {
	escaped := func(text string) string {
		var b bytes.Buffer
		_ = xml.EscapeText(&b, []byte(strings.ToValidUTF8(text, "\uFFFD"))) // to memory
		return b.String()
	}
	var b strings.Builder
	b.WriteString("<?xpacket begin=\"\uFEFF\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>" +
		`<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">` +
		`<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" ` +
		`xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:Iptc4xmpExt="http://iptc.org/std/Iptc4xmpExt/2008-02-29/" ` +
		`xmp:CreatorTool="Juvalogos" Iptc4xmpExt:DigitalSourceType="` + machineMade + `"`)
	if !f.At.IsZero() {
		b.WriteString(` xmp:CreateDate="` + f.At.UTC().Format(time.RFC3339) + `"`)
	}
	b.WriteString(`><dc:description><rdf:Alt><rdf:li xml:lang="x-default">` + escaped(f.Words) +
		`</rdf:li></rdf:Alt></dc:description><dc:source>` + escaped(f.Model) + `</dc:source><dc:rights><rdf:Alt>` +
		`<rdf:li xml:lang="x-default">` + escaped(f.line()) + `</rdf:li></rdf:Alt></dc:rights></rdf:Description>` +
		`</rdf:RDF></x:xmpmeta><?xpacket end="r"?>`)
	return b.String()
}
