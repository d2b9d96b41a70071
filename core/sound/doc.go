// Package sound is what can be reckoned about spoken words: how loud a recording is
// from moment to moment, where it can be cut, how the words of its pieces become one
// text again, how that is put right, and how it is written as subtitles.
//
//	curve := sound.Loudness{}      // filled by a Meter from samples
//	for _, p := range sound.Cut(curve, sound.CutLimits{Most: 300}) { … }
//	text := sound.Join(heard)      // of each piece what was heard in it
//	srt := text.SRT()
//
// Times are seconds from the beginning of the recording. What recognisers say differs:
// some give each word its time, some sentences, some only text. [Heard.Spread] makes
// timed words of all of them and keeps which times were reckoned rather than said.
// Nothing here reads a file: samples come decoded.
package sound
