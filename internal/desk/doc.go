// Package desk keeps the desks: it checks desk files and recipes against the
// models that are connected, publishes them as numbered revisions, tries drafts,
// watches a folder, and packs desks to be taken elsewhere.
//
// A Desk is a revision ready to answer: its file, its recipe checked, its model
// found, its brief counted. It does not change; publishing puts another in its
// place while questions go on with the one they began with.
package desk
