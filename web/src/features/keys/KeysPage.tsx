import { Credentials } from "./Credentials";

/** The keys by which servers, devices and relays let the service in. */
export function KeysPage() {
  return (
    <>
      <h1>Keys</h1>
      <Credentials />
    </>
  );
}
