package simd

// Mean writes the mean of q and r, sample by sample; both are at least as long as dst.
func Mean(dst, q, r []float32) {
	n := 0
	if wide && len(dst) >= 4 {
		n = len(dst) &^ 3
		_, _ = q[n-1], r[n-1]
		mean4(&dst[0], &q[0], &r[0], n)
	}
	for i := n; i < len(dst); i++ {
		dst[i] = (q[i] + r[i]) * 0.5
	}
}

// Mostly writes an eighth of p and r each, and three quarters of q; all are at least as long as
// dst.
func Mostly(dst, p, q, r []float32) {
	n := 0
	if wide && len(dst) >= 4 {
		n = len(dst) &^ 3
		_, _, _ = p[n-1], q[n-1], r[n-1]
		mostly4(&dst[0], &p[0], &q[0], &r[0], n)
	}
	for i := n; i < len(dst); i++ {
		dst[i] = float32((p[i]+r[i])*0.125) + float32(q[i]*0.75)
	}
}

// Expand writes the pixels of n coarse columns of three channels, two for each, to dst: those on a
// column are Mostly it, those after it the Mean of it and the next. src[i:] begins with the first
// column; the ones before and behind are read. It returns how many it has done: fewer than n by one
// at least, and none where the machine does not do several at once.
func Expand(dst, src []float32, i, n int) int {
	// Of the last column a sample beyond would be read and written.
	if n--; !wide || n <= 0 {
		return 0
	}
	_, _, _ = src[i-3], src[i+3*n+3], dst[6*n]
	expand3(&dst[0], &src[i], n)
	return n
}
