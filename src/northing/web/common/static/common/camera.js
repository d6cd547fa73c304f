// The camera as a scanner: what it reads is said as a scan. The decoder is loaded when it is wanted first.
const LOOK = 120; // ms between two looks
const GONE = 1500; // ms that a label must have been out of sight before it is read once more
const WIDEST = 1280; // pixels that are looked at; more only costs time
const FORMATS = ["CODE_128", "EAN_13", "EAN_8", "UPC_A", "ITF", "DATA_MATRIX", "QR_CODE"];

const decoder = document.querySelector("link[data-decoder]");
let dialog = null;
let stream = null;
let reader = null;
let seen = { text: "", at: 0 };

function loaded() {
  if (globalThis.ZXing) return Promise.resolve();
  return new Promise((resolve, reject) => {
    const script = Object.assign(document.createElement("script"), { src: decoder.href });
    script.onload = resolve;
    script.onerror = reject;
    document.head.append(script);
  });
}

function readerOf({ MultiFormatReader, DecodeHintType, BarcodeFormat }) {
  const made = new MultiFormatReader();
  const hints = [
    [DecodeHintType.POSSIBLE_FORMATS, FORMATS.map((name) => BarcodeFormat[name])],
    [DecodeHintType.TRY_HARDER, true],
    [DecodeHintType.ASSUME_GS1, true],
  ];
  made.setHints(new Map(hints));
  return made;
}

function look(video, canvas) {
  const scale = Math.min(1, WIDEST / video.videoWidth);
  Object.assign(canvas, { width: video.videoWidth * scale, height: video.videoHeight * scale });
  canvas.getContext("2d", { willReadFrequently: true }).drawImage(video, 0, 0, canvas.width, canvas.height);
  const { BinaryBitmap, HybridBinarizer, HTMLCanvasElementLuminanceSource } = globalThis.ZXing;
  try {
    const source = new HTMLCanvasElementLuminanceSource(canvas);
    return reader.decodeWithState(new BinaryBitmap(new HybridBinarizer(source))).getText();
  } catch {
    return ""; // no label in sight
  }
}

function heard(text, now) {
  const again = text === seen.text && now - seen.at < GONE;
  seen = { text, at: now };
  if (!again) document.dispatchEvent(new CustomEvent("scan", { detail: text }));
}

function watch(video, canvas) {
  if (!stream) return;
  const text = video.videoWidth ? look(video, canvas) : "";
  if (text) heard(text, performance.now());
  setTimeout(() => watch(video, canvas), LOOK);
}

const stop = (film) => film?.getTracks().forEach((track) => track.stop());

function close() {
  stop(stream);
  stream = null;
  seen = { text: "", at: 0 };
  dialog.close();
}

function build() {
  dialog = Object.assign(document.createElement("dialog"), { className: "camera", ariaLabel: "Camera" });
  const video = Object.assign(document.createElement("video"), { muted: true, playsInline: true });
  const words = Object.assign(document.createElement("p"), { textContent: "Hold a label into the picture." });
  const away = Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: "Close the camera" });
  away.addEventListener("click", close);
  dialog.append(video, words, away);
  document.querySelector("main").append(dialog);
  // What the page says of a scan is said beside the picture, too.
  const told = document.querySelector(".told, [data-moves]");
  if (told) new MutationObserver(() => Object.assign(words, { textContent: told.textContent })).observe(told, { childList: true });
  return { video, words };
}

let parts = null;

async function open() {
  if (stream) return close();
  parts ??= build();
  dialog.show();
  try {
    const [found] = await Promise.all([
      navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment", width: { ideal: 1920 } } }),
      loaded(),
    ]);
    if (!dialog.open) return stop(found); // closed while the camera was asked for
    stream = found;
    reader ??= readerOf(globalThis.ZXing);
    parts.video.srcObject = stream;
    await parts.video.play();
    watch(parts.video, document.createElement("canvas"));
  } catch (wrong) {
    const refused = wrong?.name === "NotAllowedError";
    parts.words.textContent = refused
      ? "This browser does not let Northing use the camera: allow it in its settings for this page."
      : "No camera answers. Type what stands on the label, or use a scanner.";
  }
}

const head = document.querySelector("main .head");
if (decoder && head && navigator.mediaDevices) {
  const acts = head.querySelector(".acts") ?? head.appendChild(Object.assign(document.createElement("div"), { className: "acts" }));
  const button = Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: "Camera" });
  button.addEventListener("click", open);
  acts.prepend(button, " ");
}
