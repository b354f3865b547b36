package gather

import "time"

// An Upload is a file on its way in.
type Upload struct {
	ID        string      `json:"id"`
	StudioID  string      `json:"-"`
	MemberID  string      `json:"-"`
	ParcelID  string      `json:"package_id"`
	PlaceID   string      `json:"place_id"`
	Name      string      `json:"name"`
	Folder    string      `json:"folder"`
	Tags      []string    `json:"tags"`
	Size      int64       `json:"size" doc:"bytes"`
	Position  int         `json:"-"`
	State     UploadState `json:"state"`
	Problem   string      `json:"problem"`
	ItemID    string      `json:"item_id"`
	Picture   bool        `json:"-"`
	CreatedAt time.Time   `json:"created_at"`
}

// An UploadState is how far an upload has come.
type UploadState string

// The states of an upload.
const (
	Arriving  UploadState = "arriving"
	Part      UploadState = "part" // of another upload, which joins it with others
	Arrived   UploadState = "arrived"
	Failed    UploadState = "failed"
	Cancelled UploadState = "cancelled"
)

// Names are the states that are shown.
func (UploadState) Names() []UploadState { return []UploadState{Arriving, Arrived, Failed, Cancelled} }
