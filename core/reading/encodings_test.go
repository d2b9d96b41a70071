package reading

import (
	"testing"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/traditionalchinese"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"
)

type encodedText struct {
	text string
	body []byte
}

// encoded are texts in the encodings that files come in.
func encoded(t *testing.T) map[string]encodedText {
	t.Helper()
	const (
		russian = "Пчёлы зимуют в улье. Мёд собирают летом, когда цветёт липа. Матка живёт до пяти лет."
		polish  = "Pszczoły zimują w ulu, a miód zbiera się latem, gdy kwitnie lipa. Królowa żyje do pięciu lat."
		czech   = "Včely zimují v úlu a med se sbírá v létě, když kvete lípa. Matka žije až pět let, někdy i déle."
		german  = "Die Bienen überwintern im Stock. Honig wird im Sommer geerntet, wenn die Linde blüht; größere " +
			"Völker zuerst."
		greek   = "Οι μέλισσες διαχειμάζουν στην κυψέλη. Το μέλι συλλέγεται το καλοκαίρι, όταν ανθίζει η φλαμουριά."
		chinese = "蜜蜂在蜂箱里过冬。夏天采集蜂蜜，那时椴树开花。蜂王可以活五年。"
		taiwan  = "蜜蜂在蜂箱裡過冬。夏天採集蜂蜜，那時椴樹開花。蜂王可以活五年。"
		nippon  = "蜂は巣箱で冬を越します。蜂蜜は夏に集めます。女王蜂は五年まで生きます。"
		korea   = "벌은 벌통에서 겨울을 납니다. 꿀은 여름에 채취합니다. 여왕벌은 오 년까지 삽니다."
	)
	all := map[string]encodedText{}
	for _, c := range []struct {
		name, text string
		in         encoding.Encoding
	}{
		{"koi8-r", russian, charmap.KOI8R}, {"windows-1251", russian, charmap.Windows1251},
		{"iso-8859-5", russian, charmap.ISO8859_5}, {"ibm866", russian, charmap.CodePage866},
		{"windows-1250", polish, charmap.Windows1250}, {"iso-8859-2", polish, charmap.ISO8859_2},
		{"windows-1250-cs", czech, charmap.Windows1250}, {"iso-8859-2-cs", czech, charmap.ISO8859_2},
		{"windows-1252", german, charmap.Windows1252}, {"iso-8859-7", greek, charmap.ISO8859_7},
		{"shift_jis", nippon, japanese.ShiftJIS}, {"euc-jp", nippon, japanese.EUCJP},
		{"iso-2022-jp", nippon, japanese.ISO2022JP}, {"gb18030", chinese, simplifiedchinese.GB18030},
		{"big5", taiwan, traditionalchinese.Big5}, {"euc-kr", korea, korean.EUCKR},
		{"utf-16le", german, unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)},
		{"utf-16be-bom", russian, unicode.UTF16(unicode.BigEndian, unicode.UseBOM)},
		{"utf-32le", german, utf32.UTF32(utf32.LittleEndian, utf32.IgnoreBOM)},
		{"utf-32be-bom", chinese, utf32.UTF32(utf32.BigEndian, utf32.UseBOM)},
		{"utf-32le-bom", russian, utf32.UTF32(utf32.LittleEndian, utf32.UseBOM)},
		{"utf-8", russian, encoding.Nop},
	} {
		body, err := c.in.NewEncoder().Bytes([]byte(c.text))
		if err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		all[c.name] = encodedText{c.text, body}
	}
	return all
}
