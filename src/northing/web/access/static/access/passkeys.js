// Passkeys: the browser makes or reads one, and the form takes what it answers. data-passkey says which: "create", "get",
// or "sign-in", whose options are asked for when the button is pressed.
const form = document.querySelector("form[data-passkey]");

async function options() {
  if (form.dataset.passkey !== "sign-in") return JSON.parse(document.getElementById("passkey-options").textContent);
  const answer = await fetch(form.action, { headers: { Accept: "application/json" } });
  if (!answer.ok) throw new Error(`the server answers ${answer.status}`);
  return answer.json();
}

async function created() {
  const { publicKey } = (await options()).creation_options;
  const alone = form.elements.passwordless.checked;
  Object.assign(publicKey.authenticatorSelection, {
    residentKey: alone ? "required" : "discouraged",
    requireResidentKey: alone,
    ...(alone && { userVerification: "required" }),
  });
  return navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(publicKey) });
}

async function read() {
  const { publicKey } = (await options()).request_options;
  return navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey) });
}

// Passkeys belong to a name: an address in digits, or plain HTTP elsewhere than on this device, has none.
const able = window.isSecureContext && !/^[\d.]+$|^\[/.test(location.hostname) && "parseCreationOptionsFromJSON" in (window.PublicKeyCredential ?? {});

function say(words) {
  const line = form.querySelector("[role=status]");
  line.hidden = false;
  line.textContent = words;
}

if (form && !able) {
  for (const part of form.elements) part.disabled = true;
  // Who signs in has another way in sight.
  form.hidden = form.dataset.passkey === "sign-in";
  say("Passkeys need a present browser and an address with a name, over HTTPS; on this device, http://localhost.");
} else if (form) {
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    try {
      const credential = await (form.dataset.passkey === "create" ? created() : read());
      form.elements.credential.value = JSON.stringify(credential);
      form.submit();
    } catch (problem) {
      say(`The passkey was not used: ${problem.message}. Try again, or take another way.`);
    }
  });
}
