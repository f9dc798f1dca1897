package cache_test

import (
	"context"
	"fmt"

	"blendseam/core/cache"
)

func ExampleCache_Get() {
	squares := cache.New[int, int](100)
	square := func(n int) int {
		v, _ := squares.Get(context.Background(), n, func(context.Context) (int, error) {
			fmt.Println("squaring", n)
			return n * n, nil
		})
		return v
	}
	fmt.Println(square(12))
	fmt.Println(square(12))
	// Output:
	// squaring 12
	// 144
	// 144
}
