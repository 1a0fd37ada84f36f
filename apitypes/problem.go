package apitypes

// Problem is the body of every error answer (RFC 9457), with three members more.
type Problem struct {
	Title  string       `json:"title,omitempty" doc:"The kind of problem, in a few words" example:"Not Found"`
	Status int          `json:"status" doc:"The HTTP status" example:"404"`
	Detail string       `json:"detail,omitempty" doc:"What happened, in a sentence" example:"There is no feed of that name."`
	Code   string       `json:"code,omitempty" doc:"The kind of problem, for programs" example:"feed-unknown"`
	Remedy string       `json:"remedy,omitempty" doc:"What to do next" example:"List the feeds to see which there are."`
	Errors []FieldError `json:"errors,omitempty" doc:"What is wrong with the input, field by field"`
}

// FieldError is what is wrong with one field of the input.
type FieldError struct {
	Location string `json:"location" doc:"Where it is, such as body.camera.url"`
	Message  string `json:"message"`
}

// ProblemType is what problems are sent as.
const ProblemType = "application/problem+json"

// Error implements error.
func (p *Problem) Error() string {
	if p.Detail != "" {
		return p.Detail
	}
	return p.Title
}

// GetStatus returns the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType returns what the problem is sent as, whatever was negotiated.
func (p *Problem) ContentType(string) string { return ProblemType }
