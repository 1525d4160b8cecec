package filmcheck

// CameraPosition is where a camera stands for a view: common practice.
type CameraPosition struct {
	View   string `json:"view"`
	Name   string `json:"name"`
	Where  string `json:"where"`
	Height string `json:"height"`
	Care   string `json:"care"`
}

var stands = map[string]CameraPosition{
	"side-open":   {Name: "from the open side", Where: "square to the movement, where the chest or the working leg faces you; 12 to 20 m away and zoomed in", Height: "hip height, the phone level and turned sideways"},
	"side-closed": {Name: "from the other side", Where: "square to the movement, on the side of the back; 12 to 20 m away and zoomed in", Height: "hip height, the phone level and turned sideways"},
	"back":        {Name: "from behind", Where: "on the throwing line behind the circle, or behind the runner; 12 m away or more", Height: "chest height, the phone level", Care: "Behind the net and clear of its give, never through it; outside the cage's gates."},
	"front":       {Name: "from the front", Where: "on the line of travel, far back", Height: "hip height, the phone level", Care: "Never in the landing or throwing sector while anybody throws or jumps."},
	"overhead":    {Name: "from above", Where: "from a stand or balcony over the circle, looking straight down", Height: "as high as is safe", Care: "A camera on a pole or a balcony is tied; nobody leans over a rail."},
	"bar-line":    {Name: "along the bar", Where: "in line with the bar, beside the mat", Height: "bar height", Care: "Clear of the mat and of the jumper's way out."},
	"oblique":     {Name: "at an angle", Where: "half-way between side and front", Height: "hip height"},
}

// aside is what holds for a camera at the side of a throw.
const aside = "On an unattended tripod outside the danger zone, started before the thrower enters."

// CameraPositionFor is where a camera stands for a view.
func CameraPositionFor(view string) CameraPosition {
	s := stands[view]
	s.View = view
	return s
}

// Caution is what to take care of there; beside a throw the camera stands alone.
func (s CameraPosition) Caution(thrown bool) string {
	if thrown && (s.View == "side-open" || s.View == "side-closed") {
		return aside
	}
	return s.Care
}
