// Package shape puts what is on record into the shapes of the API: one function
// for each thing, every field by its name. A field that is new on record is
// new here too, or the test that fills every source says which answer lacks it.
//
//	return c.JSON(api.ShelfList{Shelves: shape.All(shelves, shape.Shelf)})
package shape
