package editor

// gone reports whether there is no such process any longer. Where that cannot be told without a handle, the end of the streams tells it.
func gone(int) bool { return false }
