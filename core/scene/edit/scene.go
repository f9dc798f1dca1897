package edit

// hueWords is the word for a hue.
func hueWords(hue string) string {
	switch hue {
	case "indigo":
		return "blue"
	case "weld":
		return "gold"
	case "walnut":
		return "brown"
	}
	return hue
}
