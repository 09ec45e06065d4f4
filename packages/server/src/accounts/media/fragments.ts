/** What a picture is shown with, for a statement that joins `blobs b` and `uploads u`. */
export const PICTURE_JSON = `json_build_object('id', u.id, 'blob', b.id, 'width', b.width, 'height', b.height, 'widths', b.widths, 'placeholder', b.placeholder`;

/** One's own upload, kept from being swept until the transaction ends. */
export const HOLD_UPLOAD = `SELECT id FROM uploads WHERE id = $1 AND user_id = $2 FOR KEY SHARE`;
