package simd

// Add adds src to dst, sample by sample; dst is at least as long.
func Add(dst, src []float32) {
	n := 0
	if wide && len(src) >= 4 {
		n = len(src) &^ 3
		_ = dst[n-1]
		add4(&dst[0], &src[0], n)
	}
	for i := n; i < len(src); i++ {
		dst[i] += src[i]
	}
}

// Mul multiplies dst by src, sample by sample; dst is at least as long.
func Mul(dst, src []float32) {
	n := 0
	if wide && len(src) >= 4 {
		n = len(src) &^ 3
		_ = dst[n-1]
		mul4(&dst[0], &src[0], n)
	}
	for i := n; i < len(src); i++ {
		dst[i] *= src[i]
	}
}

// AddColour adds to the pixels of dst, three samples each, the colour w times the values in src,
// which are not below 0. Each product is rounded to a multiple of 2^-20 and ends at 8, so that sums
// below 16 are exact.
func AddColour(dst, src []float32, w [3]float32) {
	n := 0
	if wide && len(src) >= 4 {
		n = len(src) &^ 3
		_ = dst[3*n-1]
		colour4(&dst[0], &src[0], n, &w)
	}
	for i := n; i < len(src); i++ {
		p, v := dst[3*i:3*i+3:3*i+3], src[i]
		p[0] += whole(float32(v * w[0]))
		p[1] += whole(float32(v * w[1]))
		p[2] += whole(float32(v * w[2]))
	}
}

// AddColours is AddColour for pixels of src that have a value for each sample, which its colour is
// multiplied by.
func AddColours(dst, src []float32, w [3]float32) {
	n := 0
	if wide && len(src) >= 12 {
		n = len(src) / 12 * 12
		_ = dst[n-1]
		colours4(&dst[0], &src[0], n/3, &w)
	}
	for i := n; i+2 < len(src); i += 3 {
		p, q := dst[i:i+3:i+3], src[i:i+3:i+3]
		p[0] += whole(float32(q[0] * w[0]))
		p[1] += whole(float32(q[1] * w[1]))
		p[2] += whole(float32(q[2] * w[2]))
	}
}

// whole rounds to a multiple of 2^-20: between 8 and 16 that is what a float32 is.
func whole(v float32) float32 {
	if !(v < 8) {
		v = 8
	}
	return float32(v+8) - 8
}

// Cap makes samples above top top.
func Cap(dst []float32, top float32) {
	n := 0
	if wide && len(dst) >= 4 {
		n = len(dst) &^ 3
		cap4(&dst[0], n, top)
	}
	for i := n; i < len(dst); i++ {
		if dst[i] > top {
			dst[i] = top
		}
	}
}
