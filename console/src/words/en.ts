import { formsOf } from "./forms";

const { counted, number, cost, list, day } = formsOf("en");

/** A length of time, for a number of whole seconds. */
const duration = (seconds: number) =>
  seconds < 90
    ? counted(seconds, { one: "second", other: "seconds" })
    : counted(Math.round(seconds / 60), { one: "minute", other: "minutes" });

/** Every word that a visitor reads, in English. Where a sentence has something
 *  other than words within it, like a link, it is a list of what stands before
 *  and behind. */
export const en = {
  attachments: {
    all: "Documents of this conversation",
    asReadable: "Only you can open these documents. They go when you remove the conversation.",
    failed: "could not be read",
    notAttached: (name: string, problem: string) => `${name} was not attached: ${problem}.`,
    notSent: "The files could not be attached. Please try again.",
    pages: (n: number) => counted(n, { one: "page", other: "pages" }),
    reading: "being read",
    sending: "Sending",
    sendingStill: "Sending …",
    spokenRead: "The documents are read.",
    spokenReading: "The documents are being read.",
    spokenSending: "Sending the documents.",
    takeBack: "Take it back",
    takeBackNamed: (name: string) => `Take ${name} back`,
    waiting: "waiting to be read",
    words: (n: number) => counted(n, { one: "word", other: "words" }),
  },
  choices: {
    asTheQuestion: "As the question",
    asUsual: "As usual",
    careful: "More careful",
    inventive: "More inventive",
    kept: "Kept for this desk on this browser. It holds from your next question on.",
    language: "Language",
    length: "Length",
    longer: "Longer",
    manner: "Manner",
    model: "Who answers",
    now: (chosen: string[]) => `Replies: ${chosen.length ? chosen.join(", ") : "as usual"}`,
    shorter: "Shorter",
  },
  code: { copy: "Copy the code", of: (language: string) => (language ? `Code, ${language}` : "Code") },
  contents: {
    day,
    earlier: "Earlier conversations",
    more: "Show earlier ones",
    none: "What you ask here will be listed, so that you can come back to it.",
    notFound: "Nothing you asked here, and no reply, has these words.",
    search: "Search your earlier conversations",
    searchShort: "Search them",
    today: "Today",
    yesterday: "Yesterday",
  },
  conversation: {
    asJson: "Save as JSON",
    asMarkdown: "Save as Markdown",
    broken: "Something went wrong on this page. Please load it again.",
    fetching: "Fetching the conversation …",
    menu: "This conversation",
    name: "Its name",
    print: "Print",
    remove: "Remove",
    removed: (title: string) => `Removed “${title}”`,
    rename: "Rename",
    renameThis: "Rename this conversation",
    share: "Share by a link",
    startOver: "Start over",
    takenBack: "Your question was taken back",
    undo: "Undo",
  },
  copy: { do: "Copy", done: "Copied" },
  desk: {
    attachments: "Your own documents",
    attachmentsAbout:
      "You may attach documents to a conversation, with the paper clip beside the question box. They are read " +
      "at once and answered from. Only you can open them; what answers quote is part of the conversation. They " +
      "go when you remove it.",
    canDo: "What this desk can do",
    goodFor: "Good for",
    knows: "What it knows",
    machine: "Replies are written by a machine. It can be wrong: check what matters.",
    mayChange: "What you may change",
    mayChoose: (what: ("model" | "manner" | "length" | "language")[]) =>
      `You may choose ${list(
        what.map(
          (w) =>
            ({
              model: "which model answers",
              manner: "how careful or inventive replies are",
              length: "how long they are",
              language: "their language",
            })[w],
        ),
      )}, below the question box.`,
    notFor: "Not for",
    remembers: "What it remembers",
    remembersNothing: "It remembers nothing of what was said before: each question stands alone.",
    remembersTurns: (turns: number, summary: boolean) =>
      `It remembers this conversation: the last ${counted(turns, { one: "question", other: "questions" })} word ` +
      `for word${summary ? ", and what was said before them in short" : ""}. It knows nothing of your other ` +
      "conversations.",
  },
  document: {
    about: (question: string) => `It supports the answer to: ${question}`,
    download: "Download the original",
    failed: "The document could not be fetched. Please try again.",
    fetching: "Fetching the document …",
    label: "The document",
    page: (page: number) => `Page ${page}`,
    pageOf: (page: number, title: string) => `Page ${page} of ${title}`,
  },
  fields: {
    asUsual: "as usual",
    needed: (title: string) => `${title} (needed)`,
    no: "no",
    tooLarge: (name: string) => `${name} is too large: at most 2.5 MB.`,
    yes: "yes",
  },
  general: {
    close: "Close",
    duration,
    offline: "The service cannot be reached. Check your connection and try again.",
    onTheWay: "Something went wrong on the way. Please try again.",
    report: (id: string) => `If you report this, mention ${id}`,
  },
  lanes: {
    cost: (tokens: number, money: number) =>
      `${counted(tokens, { one: "token", other: "tokens" })}${money ? `, cost ${cost(money)}` : ""}`,
    failed: "There is no answer from this one.",
    prefer: "I prefer this one",
    preferAbout: "Prefer one, and the conversation goes on from it. Until then it goes on from the first.",
    seconds: (seconds: number) => `${number(seconds, 1)} seconds`,
    take: "Take this one",
    takeAbout: "Take one, and the text goes on from it.",
    taken: "Taken; ask on to go on from here",
    way: (n: number) => `Way ${n}`,
    writing: "Writing",
    yours: "your choice",
  },
  margin: {
    all: "Where it stands",
    allCounted: (n: number) => `Where it stands (${n})`,
    near: "What they do have that is near:",
    notSaid: "The documents do not say this.",
    unsupported: "Not found in the documents",
    unsupportedSpoken: " (not found in the documents)",
  },
  noDesk: {
    about:
      "Desks where you can ask a model things. Each has an address of its own: follow the link that you were given.",
    console: "console",
    makers: ["Do you make desks? Go to the ", "."],
    none: "No desk here",
    product: "Juvalogos",
    trouble: "Not at the moment",
  },
  notices: {
    asking: (seconds: number) =>
      seconds
        ? `The model is busy. Asking again in ${duration(seconds)} …`
        : "The model is busy. Asking again …",
    back: "The connection is back.",
    broken: "Something went wrong on this page. Please try again.",
    inLine: (place: number, seconds: number) =>
      (place === 1
        ? "You are next in line"
        : `There ${place === 2 ? "is one" : `are ${place - 1}`} before you in line`) +
      (seconds ? `; about ${duration(seconds)} to go …` : " …"),
    lost: "The connection was lost. Trying again …",
    lostEarly: "The connection was lost before the question arrived. Please ask again.",
    offline: "You are offline. What you write stays here; ask when the connection is back.",
    slow: "The model is taking its time …",
    step: (what: string) => `${what} …`,
    thinking: "Thinking …",
    unsaved: "This reply cannot be saved at the moment. It goes on, and will be saved as soon as possible.",
    waking: "The model is waking up. That can take a minute or two …",
  },
  page: {
    draft: "Draft",
    newConversation: ["New", " conversation"],
    spokenDone: "The reply is complete.",
    spokenStopped: "The reply was stopped.",
    spokenWriting: "The reply is being written.",
    theme: (now: "auto" | "light" | "dark") =>
      `Theme: ${{ auto: "as the system", light: "light", dark: "dark" }[now]}`,
    themeChange: (theme: string) => `${theme}. Change it.`,
    toTheEnd: "To the end",
  },
  question: {
    ask: "Ask",
    askInstead: "Ask this instead",
    asks: "asks,",
    attach: "Attach documents",
    attachFiles: "Documents to attach",
    back: "brings back your last question",
    box: "Write your question",
    boxTo: (desk: string) => `Your question to ${desk}`,
    edit: "Edit the question",
    editAbout: "What came after it stays, as another version.",
    enter: "Enter",
    escape: "Esc",
    leave: "Leave it",
    newLine: "begins a new line",
    shift: "Shift",
    stop: "Stop",
    stops: "stops the reply.",
    whole: "Show the whole question",
  },
  reasons: {
    ask: "What was the matter?",
    incomplete: "Something is missing",
    offTopic: "Not what I asked",
    other: "Something else",
    ownWords: "In your own words, if you like",
    thanks: "Thank you. The people who run this desk will read it.",
    tooLong: "Too long",
    unclear: "Hard to understand",
    wrong: "It is wrong",
  },
  reply: {
    again: "Make it again",
    againIn: (seconds: number) => `You can have it made again in ${duration(seconds)}.`,
    attempt: {
      before: "The attempt before",
      next: "The next attempt",
      of: (at: number, of: number) => `Attempt ${at} of ${of}`,
    },
    copy: "Copy the reply",
    cost: (prompt: number, reply: number, money: number) =>
      `${number(prompt)} tokens in, ${number(reply)} out${money ? `, cost ${cost(money)}` : ""}`,
    cutShort: "The reply reached the longest length this desk allows. You can ask it to go on.",
    fold: "Fold this reply",
    helped: "This helped",
    helpedAsk: "Did this reply help?",
    helpedSaid: (helped: boolean) => (helped ? "It helped" : "It did not help"),
    inside: "Look inside",
    notHelped: "This did not help",
    stopped: "You stopped this reply.",
    takeBack: "Take it back",
    took: (seconds: number) =>
      `Written in ${seconds < 10 ? `${number(seconds, 1)} seconds` : duration(Math.round(seconds))}`,
    version: {
      before: "The version before",
      next: "The next version",
      of: (at: number, of: number) => `Version ${at} of ${of}`,
    },
    whole: "Show the whole reply",
  },
  share: {
    copy: "Copy the link",
    link: "The link",
    make: "Make a link",
    shared:
      "Whoever has this link can read the conversation, also what you ask in it later. Nobody can write in it " +
      "but you.",
    this: "Share this conversation",
    toShare:
      "Whoever has the link will be able to read this conversation, also what you ask in it later. You can " +
      "withdraw it at any time.",
    withYou: [
      "Somebody shared this conversation with you. It was held at ",
      ", where you can ask questions of your own. Replies are written by a machine and can be wrong.",
    ],
    withdraw: "Withdraw the link",
  },
  welcome: {
    begin: "Begin with one of these, or write your own below",
    kept: "Your conversations are kept for this browser; no account is needed.",
    remembers: "A conversation here remembers what you said earlier in it.",
  },
};
