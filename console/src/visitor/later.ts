// What the visitor's page does not need before its first touch; Vite makes a file
// of its own of it.
export { default as ChoicePopover } from "./ChoicePopover.svelte";
export { default as ConversationMenu } from "./ConversationMenu.svelte";
export { default as DeskInfo } from "./DeskInfo.svelte";
export { default as Drawer } from "./Drawer.svelte";
export { default as Camera } from "./Camera.svelte";
export { default as PictureMenu } from "./PictureMenu.svelte";
export { default as PictureViewer } from "./PictureViewer.svelte";
export { default as RecordingCard } from "./RecordingCard.svelte";
export { default as SoundRecorder } from "./SoundRecorder.svelte";
export { default as Dictation } from "./Dictation.svelte";
export { default as TablesPanel } from "./TablesPanel.svelte";
export { default as TurnView } from "./TurnView.svelte";
export { Recordings } from "./recordings.svelte";
export { default as SoundIn } from "./SoundIn.svelte";
