package apitypes

import "time"

// PassphraseHeader carries the passphrase of a backup, in base64.
const PassphraseHeader = "Webostrum-Passphrase"

// Restored is a backup that was taken in.
type Restored struct {
	Made    time.Time `json:"made"`
	Version string    `json:"version"`
}
