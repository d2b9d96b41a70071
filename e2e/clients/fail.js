// Asks once, with the client library's own retries, where the model is broken.
import Together, { APIError } from "together-ai";

const [address, apiKey] = process.argv.slice(2);
const client = new Together({ baseURL: address + "/v1", apiKey });
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
    console.log(e.status, (e.error.error ?? e.error).code);
  }
