//go:build !amd64

package raster

const wide = false

func add4(dst, src *float32, n int) { panic("raster: not made for this machine") }

func mul4(dst, src *float32, n int) { panic("raster: not made for this machine") }

func colour4(dst, src *float32, n int, w *[3]float32) { panic("raster: not made for this machine") }

func colours4(dst, src *float32, n int, w *[3]float32) { panic("raster: not made for this machine") }

func cap4(dst *float32, n int, top float32) { panic("raster: not made for this machine") }
