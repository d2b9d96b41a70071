// Talks to a desk as a program does that was written for model servers, through a real
// client library, and prints what came as JSON.
import Together, { APIError } from "together-ai";

const [address, apiKey, embedder] = process.argv.slice(2);
const client = new Together({ baseURL: address + "/v1", apiKey });
const messages = [{ role: "user", content: "How do I light a smoker?" }];
const schema = {
  type: "object",
  required: ["tasks"],
  properties: {
    tasks: {
      type: "array",
      items: {
        type: "object",
        required: ["task"],
        properties: { task: { type: "string" } },
      },
    },
  },
};

async function streamed(content) {
  let text = "";
  let usage = null;
  const stream = await client.chat.completions.create({
    model: "helper",
    messages: [{ role: "user", content }],
    stream: true,
    stream_options: { include_usage: true },
  });
  for await (const chunk of stream) {
    text += chunk.choices[0]?.delta.content ?? "";
    usage = chunk.usage ?? usage;
  }
  return { text, usage };
}

async function failure(body) {
  try {
    await client.chat.completions.create({
      model: "helper",
      messages,
      ...body,
    });
  } catch (e) {
    if (e instanceof APIError) {
      const { code, param, type } = e.error.error ?? e.error;
      return {
        status: e.status,
        code,
        param,
        type,
        id: !!e.headers.get("x-request-id"),
      };
    }
    throw e;
  }
  return null;
}

const { data: whole, response } = await client.chat.completions
  .create({ model: "helper", messages })
  .withResponse();
const asked = Array.from(
  { length: 50 },
  (_, i) => `My name is Ada${i}. What is my name?`,
);
console.log(
  JSON.stringify({
    models: (await client.get("/models")).data.map((m) => m.id),
    whole: whole.choices[0].message.content,
    id: !!response.headers.get("x-request-id"),
    streamed: await streamed(messages[0].content),
    data: JSON.parse(
      (
        await client.chat.completions.create({
          model: "helper",
          messages: [
            {
              role: "user",
              content: "Tasks: Ada cleans the smoker. Birk paints the hive.",
            },
          ],
          response_format: {
            type: "json_schema",
            json_schema: { name: "tasks", schema },
          },
        })
      ).choices[0].message.content,
    ),
    vector: (
      await client.embeddings.create({
        model: embedder,
        input: ["smoke", "wax"],
      })
    ).data.map((d) => d.embedding.length),
    tools: await failure({
      tools: [{ type: "function", function: { name: "look", parameters: {} } }],
    }),
    nobody: await failure({ model: "nobody" }),
    together: (await Promise.all(asked.map(streamed))).map((s, i) =>
      s.text.includes(`Ada${i}`),
    ),
  }),
);
