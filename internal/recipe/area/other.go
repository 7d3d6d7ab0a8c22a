package area

// Other covers what another area covers.
type Other struct {
	Area Ref `json:"area" label:"Area" doc:"id of the area"`
}
