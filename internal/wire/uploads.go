package wire

import "time"

// UploadedFile is a file that was uploaded to a source.
type UploadedFile struct {
	Name string    `json:"name"`
	Size int64     `json:"size" doc:"In bytes"`
	At   time.Time `json:"at" doc:"When it was uploaded"`
}
