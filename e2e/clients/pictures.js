// Makes pictures at a desk and asks another about one, as a program does that was written
// for model servers, through a real client library, and prints what came as JSON.
import Together from "together-ai";

const [address, apiKey, draws, looks] = process.argv.slice(2);
const client = new Together({ baseURL: address + "/v1", apiKey });

const made = await client.images.generate({
  model: draws,
  prompt: "A label in green",
  n: 2,
  seed: 4,
  response_format: "base64",
});
const linked = await client.images.generate({ model: draws, prompt: "A label in blue", response_format: "url" });
const fetched = await fetch(linked.data[0].url);
const asked = await client.chat.completions.create({
  model: looks,
  messages: [
    {
      role: "user",
      content: [
        { type: "text", text: "How large is it?" },
        { type: "image_url", image_url: { url: "data:image/png;base64," + made.data[1].b64_json } },
      ],
    },
  ],
});
console.log(
  JSON.stringify({
    made: made.data.length,
    link: fetched.headers.get("content-type"),
    said: asked.choices[0].message.content,
  }),
);
