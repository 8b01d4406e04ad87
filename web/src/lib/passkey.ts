// Passkeys as the browser makes and shows them (Web Authentication, level 3, section 5.1): the
// service's options go in as JSON, and what the browser answers comes out as JSON.

const object = (v: unknown): v is object => typeof v === "object" && v !== null;
const asked = (v: unknown): v is PublicKeyCredentialRequestOptionsJSON =>
  object(v) && "challenge" in v;
const wanted = (v: unknown): v is PublicKeyCredentialCreationOptionsJSON =>
  object(v) && "challenge" in v && "rp" in v;

/** Why this page can have no passkeys, wherever the service could; undefined where it can. */
export function passkeysHere(host: string | undefined): string | undefined {
  if (
    !("PublicKeyCredential" in window) ||
    !("parseCreationOptionsFromJSON" in PublicKeyCredential)
  )
    return "This browser knows no passkeys, or not at an address without https.";
  if (host && location.hostname !== host && !location.hostname.endsWith(`.${host}`))
    return `Passkeys belong to ${host}: open the console there.`;
  return undefined;
}

const answerOf = (c: Credential | null) => {
  if (!(c instanceof PublicKeyCredential)) throw new Error("The browser gave no passkey");
  const json: unknown = c.toJSON();
  return json;
};

const said = (e: unknown) =>
  e instanceof DOMException && e.name === "NotAllowedError"
    ? new Error("No passkey was shown, or the browser gave up waiting; try again")
    : e instanceof DOMException && e.name === "InvalidStateError"
      ? new Error("This device has a passkey for this account already")
      : e instanceof Error
        ? e
        : new Error("The browser could not do it");

/** Has the browser make a passkey. */
export async function makePasskey(options: unknown): Promise<unknown> {
  if (!wanted(options)) throw new Error("The service asks for nothing that is known here");
  try {
    const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(options);
    return answerOf(await navigator.credentials.create({ publicKey }));
  } catch (e) {
    throw said(e);
  }
}

/** Has the browser show a passkey. */
export async function showPasskey(options: unknown): Promise<unknown> {
  if (!asked(options)) throw new Error("The service asks for nothing that is known here");
  try {
    const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options);
    return answerOf(await navigator.credentials.get({ publicKey }));
  } catch (e) {
    throw said(e);
  }
}
