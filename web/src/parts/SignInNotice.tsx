/** What whoever signs in is to know, as an administrator wrote it. */
export function SignInNotice({ text }: { text: string | undefined }) {
  if (!text) return null;
  return (
    <p className="mb-4 whitespace-pre-line border-l-2 border-accent bg-accent-wash px-3 py-2">
      {text}
    </p>
  );
}
