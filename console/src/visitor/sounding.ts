/** The files among some that may be recordings, and the others. */
export function sounding(files: File[]): { sounds: File[]; others: File[] } {
  const is = (f: File) =>
    /^(audio|video)\//.test(f.type) ||
    /\.(mp3|m4a|m4b|mp4|mov|wav|wave|ogg|oga|opus|flac|webm|mkv|mpe?g|aac|amr|3gp|wma|aiff?|caf|avi)$/i.test(
      f.name,
    );
  return { sounds: files.filter(is), others: files.filter((f) => !is(f)) };
}
