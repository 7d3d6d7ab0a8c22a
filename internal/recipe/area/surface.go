package area

// SurfaceRef names a surface of the room: the floor, or the id of a wall, a platform or a thing.
type SurfaceRef string

// TheFloor and TheCeiling name the floor and the ceiling of the room.
const (
	TheFloor   SurfaceRef = "floor"
	TheCeiling SurfaceRef = "ceiling"
)

// Surface covers what is seen of a surface of the room; nothing without a room.
type Surface struct {
	Of SurfaceRef `json:"of" label:"Surface" default:"floor" doc:"floor, ceiling, or the id of a wall, platform or object"`
}
