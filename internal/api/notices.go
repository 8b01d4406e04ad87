package api

// A NoticeKey is a public key by which posted notices are known.
type NoticeKey struct {
	ID        string `json:"id" doc:"The keyid of signatures (RFC 9421) that are made with it."`
	Algorithm string `json:"algorithm" enum:"ed25519"`
	Key       string `json:"key" doc:"The key, base64."`
}
