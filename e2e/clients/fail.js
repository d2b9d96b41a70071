// Asks once, with the client library's own retries, where the model is broken.
import OpenAI, { APIError } from "openai";

const [address, apiKey] = process.argv.slice(2);
const client = new OpenAI({ baseURL: address + "/v1", apiKey });
for (const stream of [false, true])
  try {
    await client.chat.completions.create({
      model: "helper",
      messages: [{ role: "user", content: "Hello" }],
      stream,
    });
    console.log("answered");
  } catch (e) {
    if (!(e instanceof APIError)) throw e;
    console.log(e.status, e.code);
  }
