package web

// icons are the signs of the places and buttons, drawn for Ready Margin on a
// field of 24 by 24 with round lines of 1.7.
var icons = map[string]string{
	"pick":        `<path d="M6 3.5l12.2 8.3-5.6 1.2-2.7 5.6z"/>`,
	"type":        `<path d="M5 7V4.8h14V7M12 4.8v14.4M9 19.2h6"/>`,
	"highlighter": `<path d="M4 20.2h7M8.2 16.6l8-9.6 3.4 2.8-8 9.6-4.3.9zM14 9.6l3.4 2.8"/>`,
	"pen":         `<path d="M12 21v-7.5M7.2 17l-2-7L12 3l6.8 7-2 7-4.8 3.4z"/><circle cx="12" cy="12.2" r="1.4"/>`,
	"stamp":       `<path d="M4 13.5l5 6L20 5"/>`,
	"note":        `<path d="M4.5 5.5h15v10.5h-8l-4.5 4v-4H4.5z"/><path d="M8 9.2h8M8 12.4h5"/>`,
	"voice":       `<rect x="9" y="3.2" width="6" height="11" rx="3"/><path d="M5.5 11.5a6.5 6.5 0 0 0 13 0M12 18v3"/>`,
	"eraser":      `<path d="M8.8 19.5L4 14.7 14.2 4.5 20 10.3l-9.2 9.2zM9.2 9.6l5.8 5.8M8.8 19.5H20"/>`,
	"undo":        `<path d="M8.5 5L4.5 9l4 4M5 9h9a5 5 0 0 1 0 10h-3"/>`,
	"redo":        `<path d="M15.5 5l4 4-4 4M19 9h-9a5 5 0 0 0 0 10h3"/>`,
	"back":        `<path d="M11 5l-7 7 7 7M4.5 12H20"/>`,
	"plus":        `<path d="M12 5v14M5 12h14"/>`,
	"minus":       `<path d="M5 12h14"/>`,
	"play":        `<path d="M7.5 4.5v15l12-7.5z"/>`,
	"pause":       `<path d="M8 5v14M16 5v14"/>`,
	"stop":        `<rect x="6.5" y="6.5" width="11" height="11" rx="1"/>`,
	"width":       `<path d="M3 12h18M6.5 8.5L3 12l3.5 3.5M17.500 8.5L21 12l-3.5 3.5"/>`,
	"page":        `<rect x="6" y="3.5" width="12" height="17"/><path d="M9 8h6M9 11.500h6"/>`,
	"plain":       `<path d="M2.500 12S6 5.8 12 5.8 21.500 12 21.500 12 18 18.200 12 18.200 2.500 12 2.500 12z"/><circle cx="12" cy="12" r="2.600"/>`,
	"down":        `<path d="M12 4v11M7.500 10.8L12 15.300l4.500-4.500M5 20h14"/>`,
	"check":       `<path d="M4.500 12.800l5 5.200L19.500 6.500"/>`,
	"bin":         `<path d="M5 7h14M9.500 7V4.500h5V7M7 7l1 13h8l1-13"/>`,
	"cross":       `<path d="M6 6l12 12M18 6L6 18"/>`,
	"help":        `<circle cx="12" cy="12" r="8.800"/><path d="M9.300 9.500a2.700 2.700 0 1 1 3.800 2.500c-.8.400-1.100.9-1.100 1.900M12 16.800v.2"/>`,
	"more":        `<path d="M6 12h.1M12 12h.1M18 12h.1"/>`,
}
