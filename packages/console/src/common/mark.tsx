/** The mark: two lanes meeting. */
export function Mark({ size }: { size: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" fill="none" strokeLinecap="round" strokeWidth={4} aria-hidden>
      <path d="M5 5 C5 15 16 14 16 27" stroke="var(--mui-palette-primary-main)" />
      <path d="M27 5 C27 15 16 14 16 27" stroke="#B8862B" />
    </svg>
  );
}
