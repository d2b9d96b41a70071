// Has a desk write a recording down, translate one and read a text aloud, as a program does
// that was written for model servers, through a real client library, and prints what came
// as JSON.
import fs from "node:fs";
import Together from "together-ai";

const [address, apiKey, desk, file] = process.argv.slice(2);
const client = new Together({ baseURL: address + "/v1", apiKey });

const plain = await client.audio.transcriptions.create({ model: desk, file: fs.createReadStream(file) });
const full = await client.audio.transcriptions.create({
  model: desk,
  file: fs.createReadStream(file),
  response_format: "verbose_json",
  timestamp_granularities: ["word", "segment"],
});
const english = await client.audio.translations.create({ model: desk, file: fs.createReadStream(file) });
const spoken = await client.audio.speech.create({
  model: desk,
  input: "Weigh the hive.",
  voice: "",
  response_format: "wav",
});
let wrong = {};
try {
  await client.audio.transcriptions.create({ model: "nobody", file: fs.createReadStream(file) });
} catch (e) {
  wrong = { status: e.status, code: e.error?.error?.code ?? e.code };
}
console.log(
  JSON.stringify({
    plain: plain.text,
    words: full.words?.length ?? 0,
    segments: full.segments?.length ?? 0,
    duration: full.duration,
    english: english.text,
    spoken: (await spoken.arrayBuffer()).byteLength,
    wrong,
  }),
);
