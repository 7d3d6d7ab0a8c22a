package raster

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

// AddColour adds to the pixels of dst, three samples each, the colour w times the values in src.
func AddColour(dst, src []float32, w [3]float32) {
	n := 0
	if wide && len(src) >= 4 {
		n = len(src) &^ 3
		_ = dst[3*n-1]
		colour4(&dst[0], &src[0], n, &w)
	}
	for i := n; i < len(src); i++ {
		p, v := dst[3*i:3*i+3:3*i+3], src[i]
		p[0] += v * w[0]
		p[1] += v * w[1]
		p[2] += v * w[2]
	}
}
