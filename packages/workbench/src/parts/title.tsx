import { useEffect } from "react";
import { styled } from "styled-components";

/** The heading of a place. */
export const Title = styled.h1`
  font-size: 1.5rem;
  line-height: 1.2;
  margin-bottom: ${({ theme }) => theme.space(1)};
`;

/** Names the window after the place that it shows. */
export function useDocumentTitle(place: string): void {
  useEffect(() => {
    document.title = `${place} · Loyal Quill`;
  }, [place]);
}
