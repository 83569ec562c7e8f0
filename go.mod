module keenarc

go 1.26.0

require gonum.org/v1/gonum v0.17.0
