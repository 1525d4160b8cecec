package bodyfit

import (
	"gonum.org/v1/gonum/blas"
	blasgonum "gonum.org/v1/gonum/blas/gonum"
	lapackgonum "gonum.org/v1/gonum/lapack/gonum"
)

var (
	blas64   blasgonum.Implementation
	lapack64 lapackgonum.Implementation
)

// bordered is a symmetric matrix of nodes of size numbers each, coupled over at most
// reach nodes, and of shared numbers that every node is coupled with.
type bordered struct {
	nodes, size, reach, shared int
	blocks                     [][][]float64 // blocks[t][b] couples node t with node t−b: size × size, by rows
	border                     [][]float64   // border[t]: size × shared
	corner                     []float64     // shared × shared
	node, within               []int         // of each of the nodes' numbers: its node, and its place there
}

func newBordered(nodes, size, reach, shared int) *bordered {
	m := &bordered{nodes: nodes, size: size, reach: reach, shared: shared, corner: make([]float64, shared*shared)}
	for t := range nodes {
		row := make([][]float64, reach+1)
		for b := range row {
			row[b] = make([]float64, size*size)
		}
		m.blocks, m.border = append(m.blocks, row), append(m.border, make([]float64, size*shared))
		for i := range size {
			m.node, m.within = append(m.node, t), append(m.within, i)
		}
	}
	return m
}

func (m *bordered) clear() {
	for t := range m.blocks {
		for _, b := range m.blocks[t] {
			clear(b)
		}
		clear(m.border[t])
	}
	clear(m.corner)
}

// add adds v at a row and a column of the whole; shared numbers follow the nodes'. Of
// the two halves the caller fills one.
func (m *bordered) add(row, col int, v float64) {
	if row < col {
		row, col = col, row
	}
	own := m.nodes * m.size
	switch {
	case col >= own:
		m.corner[(row-own)*m.shared+col-own] += v
		if row != col {
			m.corner[(col-own)*m.shared+row-own] += v
		}
	case row >= own:
		m.border[m.node[col]][m.within[col]*m.shared+row-own] += v
	default:
		t, u := m.node[row], m.node[col]
		m.blocks[t][t-u][m.within[row]*m.size+m.within[col]] += v
		if t == u && row != col {
			m.blocks[t][0][m.within[col]*m.size+m.within[row]] += v
		}
	}
}

// factored is the Cholesky factor L of a bordered matrix, in the same places; the
// border holds L⁻¹ of what was there.
type factored struct{ *bordered }

// leastDiagonal keeps a number that nothing tells from making the matrix singular.
const leastDiagonal = 1e-9

// cholesky factors m with its diagonal raised by a share of itself. It reports false
// where that is not positive.
func (f factored) cholesky(m *bordered, damp float64) bool {
	n, s := m.size, m.shared
	for t := range m.blocks {
		for b := range m.blocks[t] {
			copy(f.blocks[t][b], m.blocks[t][b])
		}
		copy(f.border[t], m.border[t])
		for i := range n {
			f.blocks[t][0][i*n+i] += damp*m.blocks[t][0][i*n+i] + leastDiagonal
		}
	}
	copy(f.corner, m.corner)
	for i := range s {
		f.corner[i*s+i] += damp*m.corner[i*s+i] + leastDiagonal
	}
	for t := range m.nodes {
		for b := min(m.reach, t); b >= 1; b-- {
			u := t - b
			for k := max(0, t-m.reach); k < u; k++ {
				blas64.Dgemm(blas.NoTrans, blas.Trans, n, n, n, -1, f.blocks[t][t-k], n, f.blocks[u][u-k], n, 1, f.blocks[t][b], n)
			}
			blas64.Dtrsm(blas.Right, blas.Lower, blas.Trans, blas.NonUnit, n, n, 1, f.blocks[u][0], n, f.blocks[t][b], n)
			blas64.Dsyrk(blas.Lower, blas.NoTrans, n, n, -1, f.blocks[t][b], n, 1, f.blocks[t][0], n)
			blas64.Dgemm(blas.NoTrans, blas.NoTrans, n, s, n, -1, f.blocks[t][b], n, f.border[u], s, 1, f.border[t], s)
		}
		if !lapack64.Dpotrf(blas.Lower, n, f.blocks[t][0], n) {
			return false
		}
		blas64.Dtrsm(blas.Left, blas.Lower, blas.NoTrans, blas.NonUnit, n, s, 1, f.blocks[t][0], n, f.border[t], s)
		blas64.Dsyrk(blas.Lower, blas.Trans, s, n, -1, f.border[t], s, 1, f.corner, s)
	}
	return lapack64.Dpotrf(blas.Lower, s, f.corner, s)
}

// forward solves L·y = x in place.
func (f factored) forward(x []float64) {
	n, s := f.size, f.shared
	rest := x[f.nodes*n:]
	for t := range f.nodes {
		own := x[t*n : t*n+n]
		for b := 1; b <= min(f.reach, t); b++ {
			blas64.Dgemv(blas.NoTrans, n, n, -1, f.blocks[t][b], n, x[(t-b)*n:(t-b)*n+n], 1, 1, own, 1)
		}
		blas64.Dtrsv(blas.Lower, blas.NoTrans, blas.NonUnit, n, f.blocks[t][0], n, own, 1)
		blas64.Dgemv(blas.Trans, n, s, -1, f.border[t], s, own, 1, 1, rest, 1)
	}
	blas64.Dtrsv(blas.Lower, blas.NoTrans, blas.NonUnit, s, f.corner, s, rest, 1)
}

// backward solves Lᵀ·y = x in place.
func (f factored) backward(x []float64) {
	n, s := f.size, f.shared
	rest := x[f.nodes*n:]
	blas64.Dtrsv(blas.Lower, blas.Trans, blas.NonUnit, s, f.corner, s, rest, 1)
	for t := f.nodes - 1; t >= 0; t-- {
		own := x[t*n : t*n+n]
		blas64.Dgemv(blas.NoTrans, n, s, -1, f.border[t], s, rest, 1, 1, own, 1)
		for b := 1; b <= f.reach && t+b < f.nodes; b++ {
			blas64.Dgemv(blas.Trans, n, n, -1, f.blocks[t+b][b], n, x[(t+b)*n:(t+b)*n+n], 1, 1, own, 1)
		}
		blas64.Dtrsv(blas.Lower, blas.Trans, blas.NonUnit, n, f.blocks[t][0], n, own, 1)
	}
}
