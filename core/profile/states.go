package profile

// PublicationState is what became of a wish to publish a profile.
type PublicationState string

// The states of a publication.
const (
	AskedFor  PublicationState = "open"
	Published PublicationState = "published"
	SentBack  PublicationState = "returned"
	TakenBack PublicationState = "taken-back"
	// Outdated says that somebody changed the rules before it was decided.
	Outdated PublicationState = "outdated"
)

// PublicationStates lists every state of a publication.
var PublicationStates = []PublicationState{AskedFor, Published, SentBack, TakenBack, Outdated}

// ReleaseState is whether a release is the one to use.
type ReleaseState string

// The states of a release.
const (
	Current   ReleaseState = "current"
	Replaced  ReleaseState = "replaced"
	Withdrawn ReleaseState = "withdrawn"
)

// ReleaseStates lists every state of a release.
var ReleaseStates = []ReleaseState{Current, Replaced, Withdrawn}
