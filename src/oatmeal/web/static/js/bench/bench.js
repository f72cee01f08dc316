// What the bench is made of. Each part knows one thing and declares, with Pick, which others it uses.

/**
 * What belongs to the page and stays: the photograph, its version, the core's vocabulary.
 * @typedef {object} Given
 * @property {{id: number, width: number, height: number, file: {width: number, height: number}, bits: number, developer: string, jpeg: boolean}} photograph
 * @property {any} version the version's state when the page was made
 * @property {any[]} versionList
 * @property {{id: number, width: number, height: number}[]} beside the frames beside this one
 * @property {number} series that the photograph is in
 * @property {Vocabulary} vocabulary
 */

/**
 * @typedef {object} Vocabulary
 * @property {import("../types/recipe.js").Recipe} rest
 * @property {{id: string, title: string, hint: string, key: string, screen: boolean, colour: boolean}[]} steps
 * @property {Object<string, import("./settings.js").Setting>} settings
 * @property {Object<string, string>} base_names
 * @property {Object<string, any>} bases
 * @property {Object<string, number[]>} weighings
 * @property {Object<string, any>} films
 * @property {Object<string, any>} filters
 * @property {string[]} spectrum
 * @property {Object<string, number[]>} channel_starts
 * @property {any[]} formula_examples
 * @property {Object<string, number>} centres
 * @property {number} centre_gap degrees between two centres at the least
 * @property {number} band_gap nm between the edges of a film or filter at the least
 * @property {number} level_gap codes between black and white of the scale at the least
 * @property {number} most_picked
 * @property {number} most_kept
 * @property {number} most_lines plumb lines, and as many level ones, at the most
 * @property {number} shortest_line in shares of the picture's sides
 * @property {number} widest_ratio width over height, and its inverse, at the most
 * @property {number} most_spots
 * @property {number} smallest_spot its radius in shares of the longer side
 * @property {number} largest_spot
 * @property {Object<string, Object<string, any>>} finish_starts values to begin from, by part and name
 * @property {number} most_areas
 * @property {any} new_area an area with nothing drawn
 * @property {Object<string, any>} new_parts a part of a mask of each kind
 * @property {Object<string, [number, number]>} brush limits of a brush's numbers
 * @property {Object<string, {key: string, words: string, low: number, high: number, factor: number, unit: string}[]>} part_numbers
 * @property {number} feet_apart degrees between the feet of two threads at the least
 * @property {string[]} hues
 * @property {string[]} ranges
 * @property {{name: string, step: string, stays: boolean}[]} groups of settings that travel together
 * @property {Object<string, [number, number][]>} curves
 * @property {number[]} zone_codes
 * @property {string[]} transparent_formats of files that hold how opaque a pixel is
 * @property {{lightness: number, zone: string, code: number, ink: number}[]} codes
 */

/**
 * The instruments: they hold large arrays and drawings and stay outside the reactive state.
 * @typedef {object} Parts
 * @property {import("./frames.js").Frames} frames
 * @property {import("./picture.js").Picture} picture
 * @property {import("./greymap.js").GreyMap} map
 * @property {import("./scale.js").Scale} scale
 * @property {import("./lightfield.js").LightField} field
 * @property {import("./board.js").Board} board
 * @property {import("./bubble.js").Bubble} bubble
 * @property {import("./ribbons.js").Ribbons} ribbons
 * @property {import("./rings.js").Rings} rings
 * @property {import("./overlay.js").Overlay} overlay
 * @property {import("./tints.js").TintStrip} lights
 * @property {import("./tints.js").TintStrip} darks
 * @property {import("./falloff.js").FalloffDrawing} falloff
 * @property {import("./falloff.js").BurnedFrame} burned
 * @property {import("./saver.js").Saver} saver
 * @property {import("./film.js").SpectrumStrip} [spectrum]
 */

/**
 * The parts that hold state; each is an Alpine store of this name.
 * @typedef {object} Stores
 * @property {ReturnType<typeof import("./work.js").working>} work
 * @property {ReturnType<typeof import("./frame.js").framing>} frame
 * @property {ReturnType<typeof import("./values.js").valuing>} values
 * @property {ReturnType<typeof import("./sight.js").seeing>} sight
 * @property {ReturnType<typeof import("./light.js").lighting>} light
 * @property {ReturnType<typeof import("./crop.js").cropping>} crop
 * @property {ReturnType<typeof import("./threads.js").threading>} threads
 * @property {ReturnType<typeof import("./clean.js").cleaning>} clean
 * @property {ReturnType<typeof import("./areas.js").areaing>} areas
 * @property {ReturnType<typeof import("./masks.js").masking>} masks
 * @property {ReturnType<typeof import("./onlyhere.js").limiting>} limits
 * @property {ReturnType<typeof import("./finish.js").finishing>} finish
 * @property {ReturnType<typeof import("./keptcolours.js").keepingColours>} kept
 * @property {ReturnType<typeof import("./bases.js").basing>} base
 * @property {ReturnType<typeof import("./mix.js").mixing>} mix
 * @property {ReturnType<typeof import("./films.js").filming>} films
 * @property {ReturnType<typeof import("./formula.js").formulating>} formula
 * @property {ReturnType<typeof import("./picked.js").picking>} picked
 * @property {ReturnType<typeof import("./tone.js").toning>} tone
 * @property {ReturnType<typeof import("./spots.js").spotting>} spots
 * @property {ReturnType<typeof import("./pins.js").pinning>} pins
 * @property {ReturnType<typeof import("./strips.js").testing>} strips
 * @property {ReturnType<typeof import("./starting.js").starting>} starting
 * @property {ReturnType<typeof import("./trying.js").trying>} trying
 * @property {ReturnType<typeof import("./drawer.js").offering>} drawer
 * @property {ReturnType<typeof import("./wall.js").pinningUp>} wall
 * @property {ReturnType<typeof import("./reading.js").readingPrints>} reading
 * @property {ReturnType<typeof import("./output.js").outputting>} output
 * @property {ReturnType<typeof import("./versions.js").versioning>} versions
 * @property {ReturnType<typeof import("./history.js").remembering>} history
 * @property {ReturnType<typeof import("./compare.js").comparing>} compare
 * @property {ReturnType<typeof import("./keys.js").keying>} keys
 */

/** @typedef {Given & Stores & {parts: Parts, refs: Object<string, any>, root: HTMLElement}} Bench */

export {};
