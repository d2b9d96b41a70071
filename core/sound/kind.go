package sound

import (
	"bytes"
	"encoding/binary"
)

// Kind is a kind of files that hold sound.
type Kind struct {
	Title string // as people call it
	Media string // its media type
	// Reader is the name by which ffmpeg's readers know it; no other is tried.
	Reader string
	Video  bool // it may hold pictures beside the sound
}

// signs are how the files of kinds begin, the longer ones first.
var signs = []struct {
	at   int
	sign string
	kind Kind
}{
	{0, "\x30\x26\xb2\x75\x8e\x66\xcf\x11", Kind{"WMA", "audio/x-ms-wma", "asf", true}},
	{0, "#!AMR", Kind{"AMR", "audio/amr", "amr", false}},
	{4, "ftyp", Kind{"MP4", "audio/mp4", "mov", true}},
	{4, "moov", Kind{"MP4", "audio/mp4", "mov", true}},
	{4, "mdat", Kind{"MP4", "audio/mp4", "mov", true}},
	{0, "fLaC", Kind{"FLAC", "audio/flac", "flac", false}},
	{0, "OggS", Kind{"OGG", "audio/ogg", "ogg", true}},
	{0, "\x1a\x45\xdf\xa3", Kind{"WebM", "audio/webm", "matroska", true}},
	{0, "\x00\x00\x01\xba", Kind{"MPEG", "video/mpeg", "mpeg", true}},
	{0, "\x00\x00\x01\xb3", Kind{"MPEG", "video/mpeg", "mpegvideo", true}},
	{0, "caff", Kind{"CAF", "audio/x-caf", "caf", false}},
	{0, ".snd", Kind{"AU", "audio/basic", "au", false}},
}

// KindOf tells by the first bytes of a file, a few thousand if there are, what kind of
// sound or video it is; false if it is none that is read.
func KindOf(head []byte) (Kind, bool) {
	for _, s := range signs {
		if len(head) > s.at && bytes.HasPrefix(head[s.at:], []byte(s.sign)) {
			return s.kind, true
		}
	}
	if len(head) >= 12 {
		switch form := string(head[8:12]); {
		case form == "WAVE" && (bytes.HasPrefix(head, []byte("RIFF")) || bytes.HasPrefix(head, []byte("RF64"))):
			return Kind{"WAV", "audio/wav", "wav", false}, true
		case form == "AVI " && bytes.HasPrefix(head, []byte("RIFF")):
			return Kind{"AVI", "video/x-msvideo", "avi", true}, true
		case (form == "AIFF" || form == "AIFC") && bytes.HasPrefix(head, []byte("FORM")):
			return Kind{"AIFF", "audio/aiff", "aiff", false}, true
		}
	}
	if len(head) > 188 && head[0] == 0x47 && head[188] == 0x47 {
		return Kind{"MPEG", "video/mp2t", "mpegts", true}, true
	}
	return framed(head)
}

// framed tells kinds that are frames one after the other, with whatever an ID3 tag says
// before them.
func framed(head []byte) (Kind, bool) {
	mp3 := Kind{"MP3", "audio/mpeg", "mp3", false}
	if bytes.HasPrefix(head, []byte("ID3")) {
		return mp3, true
	}
	for at := 0; at+4 <= len(head) && at < 2048; at++ {
		if head[at] != 0xff {
			continue
		}
		if head[at+1]&0xf6 == 0xf0 && at == 0 {
			return Kind{"AAC", "audio/aac", "aac", false}, true
		}
		if size := mp3Frame(head[at:]); size > 0 && at+size+4 <= len(head) && mp3Frame(head[at+size:]) > 0 {
			return mp3, true
		}
	}
	return Kind{}, false
}

// Bit rates in kbit/s of layer III, of MPEG 1 and of 2 and 2.5.
var (
	mp3Rates = [2][16]int{{0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320},
		{0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160}}
	mp3Speeds = [4]int{11025, 0, 22050, 44100}
)

// mp3Frame is the size of the frame of MPEG audio, layer III, that begins here
// (ISO/IEC 11172-3, 2.4.1.3); 0 if none does.
func mp3Frame(head []byte) int {
	h := binary.BigEndian.Uint32(head)
	version := h >> 19 & 3
	if h>>21 != 0x7ff || version == 1 || h>>17&3 != 1 || h>>10&3 == 3 {
		return 0
	}
	older := 1
	if version == 3 {
		older = 0
	}
	rate := mp3Rates[older][h>>12&15] * 1000
	speed := mp3Speeds[version]
	switch h >> 10 & 3 {
	case 1:
		speed = speed * 48000 / 44100
	case 2:
		speed = speed * 32000 / 44100
	}
	if rate == 0 || speed == 0 {
		return 0
	}
	return (144>>older)*rate/speed + int(h>>9&1)
}

// Kinds lists the kinds as people call them, the commonest first.
func Kinds() string { return "MP3, M4A, WAV, OGG, FLAC, WebM, or a video" }
