package edit

import (
	"blendseam/core/limit"
	"blendseam/core/scene"
)

// checkWeight refuses an edit after which the scene could not be read from its own scene file. One that makes a scene
// smaller that is too large is done.
func checkWeight(before, after *scene.Scene) error {
	now := scene.FileBytes(after)
	if now <= limit.SceneFileBytes || now <= scene.FileBytes(before) {
		return nil
	}
	return notPossible("The scene would be too large for a scene file (%s, %s are the most). Part it into two scenes.",
		limit.Bytes(now), limit.Bytes(limit.SceneFileBytes))
}
