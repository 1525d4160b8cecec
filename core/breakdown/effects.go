package breakdown

// Effect says what a command does to the JSON of a breakdown, so that the
// interface can show it before the server has answered. Names are properties of
// the command, dotted ones lead into them. Exactly one of Field, Map and List
// is set.
type Effect struct {
	Field string `json:"field,omitempty"` // the part that is set: "calibration.scale"
	Map   string `json:"map,omitempty"`   // the map of which an entry is set
	List  string `json:"list,omitempty"`  // the list of which an entry is set

	Value string `json:"value,omitempty"` // what it is set to; without it the part or entry is taken off
	Key   string `json:"key,omitempty"`   // of the map's entry
	Merge bool   `json:"merge,omitempty"` // the value is a map of entries; null takes one off
	Each  string `json:"each,omitempty"`  // the list of things, each of which sets an entry

	Match []string          `json:"match,omitempty"` // the fields that tell a list's entries apart
	Entry map[string]string `json:"entry,omitempty"` // a list's entry, field by field
	With  map[string]any    `json:"with,omitempty"`  // and what the server adds to it
}

// Effects are the commands that the interface foresees. The others wait for the
// server: what they do hangs on more than the breakdown.
func Effects() map[string]Effect {
	placed := map[string]any{"source": Placed, "confidence": 1, "u": 0}
	out := map[string]Effect{
		"stamp":             {Map: "stamps", Key: "keyId", Value: "frame"},
		"stamps":            {Map: "stamps", Merge: true, Value: "stamps"},
		"landmark":          {List: "landmarks", Match: []string{"frame", "name"}, Value: "at", Entry: map[string]string{"frame": "frame", "name": "landmark", "x": "at.x", "y": "at.y"}, With: placed},
		"landmarks":         {List: "landmarks", Match: []string{"frame", "name"}, Value: "at", Each: "points", Entry: map[string]string{"frame": "frame", "name": "name", "x": "at.x", "y": "at.y"}, With: placed},
		"notInFilm":         {Field: "calibration.notInFilm", Value: "keyIds"},
		"watched":           {Field: "calibration.watched", Value: "passes"},
		"rejectedProposals": {Field: "calibration.rejectedProposals", Value: "keyIds"},
		"look":              {Map: "looks", Key: "look", Value: "verdict"},
		"note":              {Map: "notes", Key: "note", Value: "words"},
		"overrule":          {Map: "overruled", Key: "fault", Value: "overrule"},
		"focus":             {List: "focuses", Match: []string{"fault"}, Value: "why", Entry: map[string]string{"fault": "fault", "why": "why"}},
		"details":           {Field: "details", Value: "details"},
	}
	for _, part := range []string{"scale", "level", "origin", "knownInterval", "ramp", "subject", "repeats", "controlPoints", "distance", "following"} {
		out[part] = Effect{Field: "calibration." + part, Value: part}
	}
	return out
}
